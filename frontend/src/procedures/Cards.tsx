import styled from "styled-components";
import type { ProcedureStatus } from "../api/client";
import { clock } from "../look/format";
import { cardsOf, newestByLine } from "./lines";

export const CardList = styled.ol`
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  gap: 6px;
  li {
    display: flex;
    align-items: baseline;
    gap: 12px;
    min-width: 0;
    padding: 8px 14px;
    background: var(--panel);
    border: 1px solid var(--hairline);
    border-radius: var(--radius);
  }
  .sign {
    flex: none;
    width: 14px;
    text-align: center;
  }
  .verb {
    flex: none;
    font-weight: 700;
  }
  .rest {
    font-family: "Atkinson Hyperlegible Mono Variable", monospace;
    font-size: 13.5px;
    overflow-wrap: anywhere;
    min-width: 0;
  }
  .said {
    margin-left: auto;
    padding-left: 12px;
    color: var(--quiet);
    font-size: 13px;
    text-align: right;
    overflow-wrap: anywhere;
  }
  .said.bad {
    color: var(--fault);
    font-weight: 600;
  }
  li.always {
    background: var(--chosen);
  }
  li.here {
    background: var(--action);
    border-color: var(--action);
    color: var(--panel);
  }
  li.around {
    border-color: var(--action);
    box-shadow: inset 0 0 0 1px var(--action);
  }
  li.here .said {
    color: var(--panel);
  }
  @media (max-width: 719px) {
    li {
      flex-wrap: wrap;
      gap: 2px 10px;
    }
    .said {
      margin-left: 24px;
      padding: 0;
      text-align: left;
      flex-basis: 100%;
    }
  }
`;

export interface CardsProps {
  text: string;
  /** Where it is, and what was done. */
  status: ProcedureStatus;
  /** The texts of the procedures that it carries out, by name. */
  called?: Record<string, string> | undefined;
}

/** The steps of a procedure, one below the other, with what came of each. */
export function Cards({ text, status, called = {} }: CardsProps) {
  const going = status.state !== "ended";
  return (
    <CardList aria-label="Steps">
      <Steps
        text={text}
        line={going ? status.line : 0}
        inside={going ? status.inside : []}
        called={called}
        depth={0}
        status={status}
      />
    </CardList>
  );
}

interface StepsProps {
  text: string;
  /** The present one, 0 for none. */
  line: number;
  /** The procedures that it carries out. */
  inside: ProcedureStatus["inside"];
  called: Record<string, string>;
  depth: number;
  /** Of the outermost: what was said of its lines. */
  status?: ProcedureStatus | undefined;
}

/** Steps, and below the present one those of the procedure that it carries out. */
function Steps({ text, line, inside, called, depth, status }: StepsProps) {
  const said = newestByLine(status?.log ?? []);
  const [inner, ...further] = inside;
  return cardsOf(text).map((card) => {
    const here = card.line === line;
    const last = said.get(card.line);
    return [
      <li
        key={card.line}
        className={here ? (inner ? "around" : "here") : card.always ? "always" : ""}
        style={{ marginLeft: (depth + card.depth) * 34 }}
        aria-current={here && !inner ? "step" : undefined}
      >
        <span className="sign" aria-hidden="true">
          {here ? "▸" : last ? (last.good ? "✓" : "✕") : card.always ? "■" : ""}
        </span>
        <span className="verb">{card.verb}</span>
        <span className="rest">{card.rest}</span>
        {status && <Said here={here} status={status} last={last} />}
      </li>,
      here && inner && (
        <Steps
          key={`${card.line} within`}
          text={called[inner.name] ?? ""}
          line={inner.line}
          inside={further}
          called={called}
          depth={depth + card.depth + 1}
        />
      ),
    ];
  });
}

interface SaidProps {
  here: boolean;
  status: ProcedureStatus;
  last: ProcedureStatus["log"][number] | undefined;
}

function Said({ here, status, last }: SaidProps) {
  if (here && status.waits) return <span className="said">waits</span>;
  if (!last) return null;
  return (
    <span className={last.good ? "said" : "said bad"}>
      {last.words} · {clock(last.at / 1000)}
    </span>
  );
}
