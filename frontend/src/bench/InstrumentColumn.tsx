import { useState } from "react";
import { Link, useNavigate } from "react-router";
import styled from "styled-components";
import { type Instrument, said } from "../api/client";
import { how, readOnce } from "../instruments/actions";
import { Chip } from "../parts/Button";
import { BeadShape, firstFault, ReadingPath } from "../parts/ReadingPath";
import { Trouble } from "../parts/Trouble";

const Column = styled.aside`
  display: flex;
  flex-direction: column;
  gap: 8px;
  min-height: 0;
  overflow-y: auto;
  scrollbar-width: thin;
  @media (max-width: 719px) {
    display: none;
  }
`;

const Card = styled.article<{ $bad: boolean }>`
  background: var(--panel);
  border: 1px solid ${({ $bad }) => ($bad ? "var(--fault)" : "var(--hairline)")};
  border-radius: var(--radius);
  box-shadow: var(--shadow);
  padding: 9px 12px 10px;
  h2 {
    font-size: 15px;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  h2 a {
    color: inherit;
    text-decoration: none;
  }
  h2 a:hover {
    text-decoration: underline;
  }
  .facts {
    display: flex;
    justify-content: space-between;
    gap: 8px;
    font-size: 12.5px;
    color: var(--quiet);
    margin-top: 3px;
  }
  .facts b {
    text-align: right;
  }
`;

/** More of them than this, and those that are well have a line each. */
const WHOLE = 6;

const Lines = styled.ul`
  list-style: none;
  margin: 0;
  padding: 4px 10px;
  background: var(--panel);
  border: 1px solid var(--hairline);
  border-radius: var(--radius);
  li {
    display: grid;
    grid-template-columns: minmax(0, 1fr) auto 46px;
    gap: 6px;
    align-items: center;
    min-height: 28px;
    border-top: 1px solid var(--ruling);
  }
  li:first-child {
    border-top: 0;
  }
  a {
    color: inherit;
    font-weight: 600;
    font-size: 13px;
    line-height: 1.15;
    text-decoration: none;
    overflow-wrap: anywhere;
  }
  a:hover {
    text-decoration: underline;
  }
  .beads {
    display: flex;
  }
  .rate {
    font-size: 12px;
    color: var(--quiet);
    text-align: right;
    white-space: nowrap;
  }
`;

export interface InstrumentColumnProps {
  instruments: Instrument[];
  /** Nobody says how they are now: what is shown is how they were. */
  stale?: boolean;
}

const RANK: Record<string, number> = { stopped: 0, losses: 1 };

/** Every instrument with its reading path; of many, those that are well a line each. */
export function InstrumentColumn({ instruments, stale }: InstrumentColumnProps) {
  const go = useNavigate();
  const [trouble, setTrouble] = useState("");
  const read = (instrument: Instrument): void => {
    setTrouble("");
    readOnce(instrument.id).catch((error: unknown) => setTrouble(said(error)));
  };
  const stands = (one: Instrument): number => RANK[firstFault(one.stages)?.state ?? "passing"] ?? 2;
  const short = instruments.length > WHOLE;
  // Those in trouble first, and whole.
  const whole = short
    ? instruments.filter((one) => stands(one) < 2).sort((one, other) => stands(one) - stands(other))
    : instruments;
  const rest = short ? instruments.filter((one) => stands(one) === 2) : [];
  return (
    <Column aria-label="Instruments">
      {whole.map((instrument) => {
        const fault = firstFault(instrument.stages);
        const stopped = fault?.state === "stopped";
        const byHand = instrument.has_queries && !instrument.asked_per_s;
        return (
          <Card
            key={instrument.id}
            $bad={stopped}
            style={{ opacity: stale ? 0.5 : 1 }}
            data-testid={`instrument-${instrument.id}`}
          >
            <h2 title={instrument.name}>
              <Link to={`/instruments/${instrument.id}`}>{instrument.name}</Link>
            </h2>
            <ReadingPath
              stages={instrument.stages}
              onChoose={(stage) => void go(`/instruments/${instrument.id}?stage=${stage.name}`)}
            />
            <div className="facts">
              <span>{instrument.simulated ? `simulated, ${how(instrument)}` : how(instrument)}</span>
              {stale ? (
                <span>not heard</span>
              ) : fault ? (
                <b style={{ color: stopped ? "var(--fault)" : "var(--caution)" }}>{fault.words}</b>
              ) : byHand ? (
                <Chip onPress={() => read(instrument)} style={{ minHeight: 22 }}>
                  read once
                </Chip>
              ) : (
                <span>{instrument.messages_per_s.toFixed(1)}/s</span>
              )}
            </div>
          </Card>
        );
      })}
      {rest.length > 0 && (
        <Lines style={{ opacity: stale ? 0.5 : 1 }}>
          {rest.map((one) => (
            <li key={one.id} data-testid={`instrument-${one.id}`}>
              <Link to={`/instruments/${one.id}`}>{one.name}</Link>
              <span className="beads" role="img" aria-label="all five stages passing">
                {one.stages.map((stage) => (
                  <BeadShape key={stage.name} state={stage.state} size={9} />
                ))}
              </span>
              {one.has_queries && !one.asked_per_s ? (
                <Chip
                  onPress={() => read(one)}
                  style={{ padding: "0 4px" }}
                  aria-label={`read ${one.name} once`}
                >
                  read
                </Chip>
              ) : (
                <span className="rate">{stale ? "not heard" : `${one.messages_per_s.toFixed(1)}/s`}</span>
              )}
            </li>
          ))}
        </Lines>
      )}
      {trouble && <Trouble>{trouble}</Trouble>}
      <Link to="/instruments/new" style={{ padding: "6px 12px", fontWeight: 600 }}>
        Add an instrument
      </Link>
    </Column>
  );
}
