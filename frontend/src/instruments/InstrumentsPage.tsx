import { useState } from "react";
import { Link, useLocation, useNavigate } from "react-router";
import styled from "styled-components";
import { type Instrument, said } from "../api/client";
import { useLive } from "../live/connection";
import { Button, Chip, ChipLink } from "../parts/Button";
import { firstFault, ReadingPath } from "../parts/ReadingPath";
import { Trouble } from "../parts/Window";
import { bringBack, duplicate, how, readOnce, releaseOrTakeBack, remove } from "./actions";
import { PortsPanel } from "./PortsPanel";
import { SetupText } from "./SetupText";

const Page = styled.main`
  display: grid;
  grid-template-columns: minmax(0, 1fr) 352px;
  gap: 12px;
  padding: 4px 12px 20px;
  align-items: start;
  .top {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 10px;
    padding: 4px 6px 8px;
    grid-column: 1 / -1;
  }
  h1 {
    font-size: 22px;
    margin-right: auto;
  }
  @media (max-width: 900px) {
    grid-template-columns: minmax(0, 1fr);
  }
`;

const Card = styled.article<{ $bad: boolean }>`
  background: var(--panel);
  border: 1px solid ${({ $bad }) => ($bad ? "var(--fault)" : "var(--hairline)")};
  border-radius: var(--radius);
  box-shadow: var(--shadow);
  padding: 11px 16px;
  display: grid;
  grid-template-columns: minmax(0, 1fr) 250px;
  gap: 4px 20px;
  align-items: center;
  h2 {
    font-size: 16px;
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
    font-size: 13px;
    color: var(--quiet);
    overflow-wrap: anywhere;
  }
  .fault {
    grid-column: 1 / -1;
    font-size: 13.5px;
  }
  .acts {
    grid-column: 1 / -1;
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
    margin-top: 3px;
  }
  @media (max-width: 719px) {
    grid-template-columns: minmax(0, 1fr);
  }
`;

interface Removed {
  name: string;
  text: string;
}

/** All instruments, how far the bytes of each come, and the ports of the computer. */
export function InstrumentsPage() {
  const live = useLive();
  const go = useNavigate();
  const location = useLocation();
  const arrived = (location.state as { removed?: Removed } | null)?.removed ?? null;
  const [removed, setRemoved] = useState<Removed | null>(arrived);
  const [fromFile, setFromFile] = useState(false);
  const [trouble, setTrouble] = useState("");
  const [kept, setKept] = useState("");
  const status = live.status;
  if (!status) return <p style={{ padding: 40, color: "var(--quiet)" }}>Joining the bench …</p>;

  const attempt = (act: () => Promise<unknown>): void => {
    setTrouble("");
    act().catch((error: unknown) => setTrouble(said(error)));
  };
  const takeOff = (instrument: Instrument): void =>
    attempt(async () => setRemoved({ name: instrument.name, text: await remove(instrument.id) }));
  return (
    <Page>
      <div className="top">
        <h1>Instruments</h1>
        {status.instruments.some((one) => one.simulated) && (
          <Link to="/simulated">Simulated instruments</Link>
        )}
        <Link to="/instruments/calculated">Calculated channels</Link>
        <Button onPress={() => setFromFile(true)}>From a file</Button>
        <Button $kind="bright" onPress={() => void go("/instruments/new")}>
          Add an instrument
        </Button>
      </div>
      <div style={{ display: "grid", gap: 10, minWidth: 0 }}>
        {trouble && <Trouble>{trouble}</Trouble>}
        {kept && <p role="status">{kept}</p>}
        {removed && (
          <p role="status">
            {removed.name} was taken off the bench; its runs and the versions of its set-up are kept.{" "}
            <Button
              $kind="plain"
              style={{ padding: 0, minHeight: 0 }}
              onPress={() =>
                attempt(async () => {
                  await bringBack(removed.text);
                  setRemoved(null);
                })
              }
            >
              Undo
            </Button>
          </p>
        )}
        {!status.instruments.length && (
          <p style={{ padding: "20px 6px", maxWidth: "62ch" }}>
            <b>No instrument yet.</b> Choose its port on the right, or press “Add an instrument”: its bytes
            are shown at once, before anything else has to be said.
          </p>
        )}
        {status.instruments.map((instrument) => (
          <Line
            key={instrument.id}
            instrument={instrument}
            onOpen={(stage) => void go(`/instruments/${instrument.id}?stage=${stage}`)}
            onRead={() => attempt(() => readOnce(instrument.id))}
            onRelease={() => attempt(() => releaseOrTakeBack(instrument))}
            onCopy={() =>
              attempt(async () => void go(`/instruments/${await duplicate(instrument.id)}?stage=Port`))
            }
            onRemove={() => takeOff(instrument)}
          />
        ))}
      </div>
      <PortsPanel ports={status.ports} />
      {fromFile && (
        <SetupText
          text=""
          onClose={() => setFromFile(false)}
          onSaved={(key, sentence) => {
            setFromFile(false);
            setKept(sentence);
            void go(`/instruments/${key}`);
          }}
        />
      )}
    </Page>
  );
}

interface LineProps {
  instrument: Instrument;
  onOpen: (stage: string) => void;
  onRead: () => void;
  onRelease: () => void;
  onCopy: () => void;
  onRemove: () => void;
}

function Line({ instrument, onOpen, onRead, onRelease, onCopy, onRemove }: LineProps) {
  const fault = firstFault(instrument.stages);
  const stopped = fault?.state === "stopped";
  return (
    <Card $bad={stopped} data-testid={`instrument-${instrument.id}`}>
      <div style={{ minWidth: 0 }}>
        <h2>
          <Link to={`/instruments/${instrument.id}`}>{instrument.name}</Link>
        </h2>
        <div className="facts">
          {instrument.link}, {instrument.settings}, {how(instrument)}
        </div>
      </div>
      <div>
        <ReadingPath stages={instrument.stages} onChoose={(stage) => onOpen(stage.name)} />
        <div className="facts" style={{ display: "flex", justifyContent: "space-between" }}>
          <span>{instrument.messages_per_s ? `${instrument.messages_per_s.toFixed(1)} messages/s` : ""}</span>
          {fault && <b style={{ color: stopped ? "var(--fault)" : "var(--caution)" }}>{fault.words}</b>}
        </div>
      </div>
      {fault && (
        <p className="fault" style={{ color: stopped ? "var(--fault)" : "var(--caution)" }}>
          {fault.sentence}
        </p>
      )}
      <div className="acts">
        <Chip onPress={() => onOpen(fault?.name ?? "Messages")}>set-up</Chip>
        {instrument.has_queries && <Chip onPress={onRead}>read once</Chip>}
        <Chip onPress={onRelease}>{instrument.released ? "take the port back" : "release the port"}</Chip>
        <Chip onPress={onCopy}>duplicate</Chip>
        <ChipLink href={`/api/instruments/${instrument.id}/file`} download>
          export
        </ChipLink>
        <Chip onPress={onRemove}>remove</Chip>
      </div>
    </Card>
  );
}
