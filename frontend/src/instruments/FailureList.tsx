import styled from "styled-components";
import type { Failure, Remedy } from "../api/client";
import { Chip } from "../parts/Button";
import { ControlText } from "../parts/ControlText";

const List = styled.ul`
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  gap: 8px;
  li {
    border-left: 3px solid var(--fault);
    padding: 2px 0 2px 10px;
    display: grid;
    gap: 5px;
  }
  .wire {
    font-family: "Atkinson Hyperlegible Mono Variable", monospace;
    font-weight: 600;
    overflow-wrap: anywhere;
  }
  .at {
    background: var(--faultGround);
    color: var(--fault);
    box-shadow: 0 2px 0 var(--fault);
  }
  .why {
    color: var(--fault);
    font-size: 13px;
  }
  .remedies {
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
  }
`;

/** Messages that were not understood, those of one look together, with what one press would do. */
export function FailureList({
  failures,
  onRemedy,
}: {
  failures: Failure[];
  onRemedy: (failure: Failure, remedy: Remedy) => void;
}) {
  if (!failures.length) return null;
  return (
    <List aria-label="Not understood" data-testid="failures">
      {failures.map((failure) => {
        const at = failure.column - 1;
        return (
          <li key={`${failure.query} ${failure.message}`}>
            <span className="wire">
              <ControlText text={failure.message.slice(0, at)} />
              <span className="at">
                {at < failure.message.length ? <ControlText text={failure.message.charAt(at)} /> : "▏"}
              </span>
              <ControlText text={failure.message.slice(at + 1)} />
            </span>
            <span className="why">
              {failure.count > 1 ? `${failure.count} like this: ` : ""}
              {failure.why}.
            </span>
            <span className="remedies">
              {failure.remedies.map((remedy) => (
                <Chip key={remedy.words} onPress={() => onRemedy(failure, remedy)}>
                  {remedy.words}
                </Chip>
              ))}
            </span>
          </li>
        );
      })}
    </List>
  );
}
