import { useState } from "react";
import { Link, useNavigate } from "react-router";
import styled from "styled-components";
import { type Instrument, said } from "../api/client";
import { how, readOnce } from "../instruments/actions";
import { Chip } from "../parts/Button";
import { firstFault, ReadingPath } from "../parts/ReadingPath";
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

export interface InstrumentColumnProps {
  instruments: Instrument[];
  /** Nobody says how they are now: what is shown is how they were. */
  stale?: boolean;
}

/** Every instrument with its reading path. */
export function InstrumentColumn({ instruments, stale }: InstrumentColumnProps) {
  const go = useNavigate();
  const [trouble, setTrouble] = useState("");
  const read = (instrument: Instrument): void => {
    setTrouble("");
    readOnce(instrument.id).catch((error: unknown) => setTrouble(said(error)));
  };
  return (
    <Column aria-label="Instruments">
      {instruments.map((instrument) => {
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
      {trouble && <Trouble>{trouble}</Trouble>}
      <Link to="/instruments/new" style={{ padding: "6px 12px", fontWeight: 600 }}>
        Add an instrument
      </Link>
    </Column>
  );
}
