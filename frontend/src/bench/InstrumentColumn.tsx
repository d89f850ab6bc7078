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

export interface InstrumentColumnProps {
  instruments: Instrument[];
  /** Nobody says how they are now: what is shown is how they were. */
  stale?: boolean;
  onAdd: () => void;
  /** Asked to change a set-up. */
  onChange: (text: string) => void;
}

/** Every instrument with its reading path. */
export function InstrumentColumn({ instruments, stale, onAdd, onChange }: InstrumentColumnProps) {
  const [chosen, setChosen] = useState<string | null>(null);
  const [removed, setRemoved] = useState<{ name: string; text: string } | null>(null);
  const bringBack = async (): Promise<void> => {
    if (removed) await api.POST("/api/setups", { body: { text: removed.text } });
    setRemoved(null);
  };
  const open = instruments.find((instrument) => instrument.id === chosen);
  return (
    <Column aria-label="Instruments">
      {instruments.map((instrument) => {
        const fault = firstFault(instrument.stages);
        const stopped = fault?.state === "stopped";
        return (
          <Card
            key={instrument.id}
            $bad={stopped}
            style={{ opacity: stale ? 0.5 : 1 }}
            data-testid={`instrument-${instrument.id}`}
          >
            <h2 title={instrument.name}>{instrument.name}</h2>
            <ReadingPath stages={instrument.stages} onChoose={() => setChosen(instrument.id)} />
            <div className="facts">
              <span>{instrument.simulated ? `simulated, ${how(instrument)}` : how(instrument)}</span>
              {stale ? (
                <span>not heard</span>
              ) : fault ? (
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
      {removed && (
        <p role="status" style={{ padding: "0 12px" }}>
          {removed.name} was removed.{" "}
          <Button $kind="plain" style={{ padding: 0, minHeight: 0 }} onPress={() => void bringBack()}>
            Undo
          </Button>
        </p>
      )}
      {open && (
        <Evidence
          instrument={open}
          onClose={() => setChosen(null)}
          onChange={onChange}
          onRemoved={(text) => setRemoved({ name: open.name, text })}
        />
      )}
    </Column>
  );
}

interface EvidenceProps {
  instrument: Instrument;
  onClose: () => void;
  onChange: (text: string) => void;
  onRemoved: (text: string) => void;
}

/** What each stage has to show, and what to try. */
function Evidence({ instrument, onClose, onChange, onRemoved }: EvidenceProps) {
  const [trouble, setTrouble] = useState("");
  const released = instrument.stages[0]?.words === "released";
  const order = async (): Promise<void> => {
    const body = { body: { link: instrument.link } };
    await got(released ? api.POST("/api/ports/take-back", body) : api.POST("/api/ports/release", body));
  };
  const change = async (): Promise<void> => {
    const all = await got(api.GET("/api/setups"));
    const own = all.find((one) => one.key === instrument.id);
    if (!own) throw new Error("This set-up is not among the records any more.");
    onClose();
    onChange(own.text);
  };
  const remove = async (): Promise<void> => {
    const { text } = await got(api.DELETE("/api/setups/{key}", { params: { path: { key: instrument.id } } }));
    onClose();
    onRemoved(text);
  };
  const attempt = async (act: () => Promise<void>): Promise<void> => {
    setTrouble("");
    try {
      await act();
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
        <Button $kind="plain" onPress={() => void attempt(remove)}>
          Remove
        </Button>
        <Button onPress={() => void attempt(change)}>Change the set-up</Button>
        <Button onPress={() => void attempt(order)}>
          {released ? "Take the port back" : "Release the port"}
        </Button>
        <Button $kind="bright" onPress={onClose}>
          Close
        </Button>
      </Actions>
    </Window>
  );
}
