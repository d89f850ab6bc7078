import { useState } from "react";
import { useLocation, useNavigate } from "react-router";
import styled from "styled-components";
import type { Instrument } from "../api/client";
import { useAct } from "../api/useAct";
import { useLive } from "../live/connection";
import { Button } from "../parts/Button";
import { Entry, Select } from "../parts/Select";
import { Trouble } from "../parts/Window";
import { bringBack, duplicate, readOnce, releaseOrTakeBack, remove, rename } from "./actions";
import { type Grouping, grouped, likelyGrouping, meant } from "./grouped";
import { InstrumentTable } from "./InstrumentTable";
import { NameWindow } from "./NameWindow";
import { PortsPanel } from "./PortsPanel";
import { SetupText } from "./SetupText";

const Page = styled.div`
  display: grid;
  grid-template-columns: minmax(0, 1fr) 320px;
  gap: 12px;
  padding: 10px 12px 20px;
  align-items: start;
  .top {
    display: flex;
    flex-wrap: wrap;
    align-items: end;
    gap: 10px;
    padding: 0 6px 2px;
    grid-column: 1 / -1;
  }
  h1 {
    font-size: 22px;
    margin-right: 12px;
    line-height: 36px;
  }
  .room {
    flex: 1;
  }
  @media (max-width: 1000px) {
    grid-template-columns: minmax(0, 1fr);
  }
`;

interface Removed {
  name: string;
  text: string;
}

/** All instruments, how far the bytes of each come, and the ports of the computer. */
export function InstrumentsPage() {
  const instruments = useLive(({ status }) => status?.instruments);
  const ports = useLive(({ status }) => status?.ports);
  const go = useNavigate();
  const location = useLocation();
  const arrived = (location.state as { removed?: Removed } | null)?.removed ?? null;
  const [removed, setRemoved] = useState<Removed | null>(arrived);
  const [fromFile, setFromFile] = useState(false);
  const [naming, setNaming] = useState<Instrument | null>(null);
  const [find, setFind] = useState("");
  const [by, setBy] = useState<Grouping | null>(null);
  const { run, trouble } = useAct();
  const [kept, setKept] = useState("");
  if (!instruments || !ports)
    return <p style={{ padding: 40, color: "var(--quiet)" }}>Joining the bench …</p>;
  const grouping = by ?? likelyGrouping(instruments);
  const shown = instruments.filter((one) => meant(one, find.trim()));
  return (
    <Page>
      <div className="top">
        <h1>Instruments</h1>
        {instruments.length > 3 && (
          <>
            <Entry label="Find" value={find} onChange={setFind} placeholder="name, port, state" width={180} />
            <Select
              label="Grouped by"
              value={grouping}
              options={[
                { value: "none", text: "nothing" },
                { value: "link", text: "link" },
                { value: "group", text: "group" },
              ]}
              onChange={setBy}
              width={110}
            />
          </>
        )}
        <span className="room" />
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
              style={{ padding: 0, minHeight: 24 }}
              onPress={() =>
                run(async () => {
                  await bringBack(removed.text);
                  setRemoved(null);
                })
              }
            >
              Undo
            </Button>
          </p>
        )}
        {instruments.length === 0 && (
          <p style={{ padding: "20px 6px", maxWidth: "62ch" }}>
            <b>No instrument yet.</b> Choose its port, or press “Add an instrument”: its bytes are shown at
            once, before anything else has to be said.
          </p>
        )}
        {instruments.length > 0 && shown.length === 0 && (
          <p style={{ padding: "20px 6px" }}>No instrument matches “{find.trim()}”.</p>
        )}
        {shown.length > 0 && (
          <InstrumentTable
            groups={grouped(shown, grouping)}
            onRead={(one) => run(() => readOnce(one.id))}
            onRelease={(one) => run(() => releaseOrTakeBack(one))}
            onName={setNaming}
            onCopy={(one) => run(async () => void go(`/instruments/${await duplicate(one.id)}?stage=Port`))}
            onRemove={(one) => run(async () => setRemoved({ name: one.name, text: await remove(one.id) }))}
          />
        )}
      </div>
      <PortsPanel ports={ports} />
      {naming && (
        <NameWindow
          instrument={naming}
          onClose={() => setNaming(null)}
          onSave={(names) => run(async () => setKept(await rename(naming.id, names)))}
        />
      )}
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
