import { useState } from "react";
import styled from "styled-components";
import { api, got, type Instrument } from "../api/client";
import { Button } from "../parts/Button";
import { BeadShape, firstFault, ReadingPath } from "../parts/ReadingPath";
import { Actions, Trouble, Window } from "../parts/Window";

const Column = styled.aside`
  display: flex;
  flex-direction: column;
  gap: 8px;
  min-height: 0;
  overflow-y: auto;
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

const StageRow = styled.div`
  display: grid;
  grid-template-columns: 20px 84px minmax(0, 1fr);
  gap: 8px;
  align-items: start;
  svg {
    margin-top: 2px;
  }
  p {
    overflow-wrap: anywhere;
  }
`;

const how = (instrument: Instrument): string => {
  if (instrument.talks !== "when asked") return instrument.talks;
  return instrument.asked_per_s
    ? `asked ${Number(instrument.asked_per_s.toFixed(1))}/s`
    : "asked without pause";
};

/** Every instrument with its reading path. */
export function InstrumentColumn({ instruments, onAdd }: { instruments: Instrument[]; onAdd: () => void }) {
  const [chosen, setChosen] = useState<string | null>(null);
  const open = instruments.find((instrument) => instrument.id === chosen);
  return (
    <Column aria-label="Instruments">
      {instruments.map((instrument) => {
        const fault = firstFault(instrument.stages);
        const stopped = fault?.state === "stopped";
        return (
          <Card key={instrument.id} $bad={stopped} data-testid={`instrument-${instrument.id}`}>
            <h2 title={instrument.name}>{instrument.name}</h2>
            <ReadingPath stages={instrument.stages} onChoose={() => setChosen(instrument.id)} />
            <div className="facts">
              <span>{instrument.simulated ? `simulated, ${how(instrument)}` : how(instrument)}</span>
              {fault ? (
                <b style={{ color: stopped ? "var(--fault)" : "var(--caution)" }}>{fault.words}</b>
              ) : (
                <span>{instrument.messages_per_s.toFixed(1)}/s</span>
              )}
            </div>
          </Card>
        );
      })}
      <Button $kind="plain" onPress={onAdd} style={{ justifyContent: "flex-start", padding: "0 12px" }}>
        Add an instrument
      </Button>
      {open && <Evidence instrument={open} onClose={() => setChosen(null)} />}
    </Column>
  );
}

/** What each stage has to show, and what to try. */
function Evidence({ instrument, onClose }: { instrument: Instrument; onClose: () => void }) {
  const [trouble, setTrouble] = useState("");
  const released = instrument.stages[0]?.words === "released";
  const order = async (): Promise<void> => {
    setTrouble("");
    const body = { body: { link: instrument.link } };
    try {
      await got(released ? api.POST("/api/ports/take-back", body) : api.POST("/api/ports/release", body));
    } catch (error) {
      setTrouble(error instanceof Error ? error.message : String(error));
    }
  };
  return (
    <Window title={instrument.name} open onClose={onClose} wide>
      <p style={{ color: "var(--quiet)" }}>
        {instrument.link}, {instrument.settings}, {how(instrument)}
        {instrument.answer_ms ? `, answers in ${instrument.answer_ms.toFixed(0)} ms` : ""}
      </p>
      {instrument.stages.map((stage) => (
        <StageRow key={stage.name}>
          <BeadShape state={stage.state} />
          <b>{stage.name}</b>
          <p>{stage.sentence}</p>
        </StageRow>
      ))}
      {trouble && <Trouble>{trouble}</Trouble>}
      <Actions>
        <Button onPress={() => void order()}>{released ? "Take the port back" : "Release the port"}</Button>
        <Button $kind="bright" onPress={onClose}>
          Close
        </Button>
      </Actions>
    </Window>
  );
}
