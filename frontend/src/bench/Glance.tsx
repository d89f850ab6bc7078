import { useQuery } from "@tanstack/react-query";
import styled from "styled-components";
import { api, got, said, type Schemas } from "../api/client";
import { blank, type Plan } from "./plan";

type Finding = Schemas["Finding"];

const List = styled.ul`
  margin: 0;
  padding: 0;
  list-style: none;
  display: grid;
  gap: 6px;
  font-size: 13.5px;
  li {
    display: grid;
    grid-template-columns: 18px minmax(0, 1fr);
    gap: 4px;
  }
  .sign {
    font-weight: 700;
  }
  .off {
    color: var(--caution);
    font-weight: 600;
  }
  .todo,
  .well {
    color: var(--quiet);
  }
`;

/** What was found before a run: what is not well first, with what to do; the rest in one line. */
export function Findings({ found }: { found: readonly Finding[] }) {
  const off = found.filter((one) => !one.well);
  const well = found.filter((one) => one.well);
  return (
    <List aria-label="Before it begins">
      {off.map((one) => (
        <li key={one.matter}>
          <span className="sign off" aria-hidden>
            !
          </span>
          <span>
            <span className="off">{one.words}</span> <span className="todo">{one.todo}</span>
          </span>
        </li>
      ))}
      {well.length > 0 && (
        <li>
          <span className="sign well" aria-hidden>
            ✓
          </span>
          <span className="well">{well.map((one) => one.words).join(" ")}</span>
        </li>
      )}
    </List>
  );
}

const EVERY_MS = 5000;

/** One look round before a run begins. Nothing of it forbids. */
export function Glance({ plan }: { plan: Plan }) {
  // Only what a run needs depends on these: a name that is typed asks for nothing.
  const { channels, row_rule, ends } = plan;
  const body = { ...blank, name: "-", channels, row_rule, ends };
  const { data, error } = useQuery({
    queryKey: ["glance", body],
    queryFn: () => got(api.POST("/api/run/glance", { body })),
    refetchInterval: EVERY_MS,
    placeholderData: (before) => before,
    retry: false,
  });
  if (error && !data) return <p style={{ color: "var(--quiet)" }}>{said(error)}</p>;
  return data ? <Findings found={data} /> : <p style={{ color: "var(--quiet)" }}>Looking round …</p>;
}
