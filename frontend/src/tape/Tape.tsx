import { lazy, type ReactNode, Suspense, useState } from "react";
import { ToggleButton, ToggleButtonGroup } from "react-aria-components";
import styled from "styled-components";
import type { Instrument } from "../api/client";
import { count } from "../look/format";
import { connection } from "../live/connection";
import { Chip } from "../parts/Button";
import { Choice } from "../parts/Choice";
import type { Direction, Show, TimeAs } from "./lines";
import { TapeView } from "./TapeView";
import { useTapeLines } from "./useTapeLines";

const Panel = styled.section`
  background: var(--panel);
  border: 1px solid var(--hairline);
  border-radius: var(--radius);
  display: flex;
  flex-direction: column;
  gap: 4px;
  padding: 7px 12px 9px;
  min-width: 0;
  min-height: 0;
  header {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 6px;
    min-height: 28px;
  }
  h2 {
    font-size: 13.5px;
    margin-right: 4px;
  }
  header input {
    flex: 1;
    min-width: 50px;
    border: 1px solid var(--hairline);
    border-radius: 6px;
    background: var(--panel);
    min-height: 26px;
    font-size: 12.5px;
    font-weight: 600;
    max-width: 170px;
  }
  header input {
    width: 50px;
    padding: 0 7px;
  }
  .facts {
    margin-left: auto;
    color: var(--quiet);
    font-size: 12.5px;
    font-weight: 600;
    white-space: nowrap;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .trouble {
    color: var(--fault);
  }
  @media (max-width: 719px) {
    .facts {
      display: none;
    }
  }
`;

const CommandLine = lazy(() => import("./CommandLine").then((part) => ({ default: part.CommandLine })));

const Ways = styled(ToggleButtonGroup)`
  display: flex;
  gap: 6px;
  button {
    min-height: 26px;
    padding: 0 8px;
    border-radius: 6px;
    border: 1px solid var(--hairline);
    background: var(--panel);
    font-weight: 600;
    font-size: 12.5px;
    cursor: pointer;
  }
  button[data-hovered] {
    border-color: var(--action);
  }
  button[data-selected] {
    background: var(--chosen);
  }
`;

export interface TapeProps {
  instruments: Instrument[];
  /** Shown alone where given. */
  only?: Instrument;
  /** Room for filters, search and the command line. */
  roomy: boolean;
  style?: React.CSSProperties;
  /** More for the header's end. */
  more?: ReactNode;
  /** At the far end of the head. */
  tools?: ReactNode;
}

const WAYS: { value: Direction; text: string }[] = [
  { value: "", text: "both ways" },
  { value: "in", text: "received" },
  { value: "out", text: "sent" },
  { value: "events", text: "events" },
];
const TIMES: TimeAs[] = ["clock", "elapsed", "gap"];

/** The raw traffic, both ways, and what was decided: live or held, filtered, searched, saved; and a line to type commands. */
export function Tape({ instruments, only, roomy, style, more, tools }: TapeProps) {
  const [chosen, setChosen] = useState("");
  const [show, setShow] = useState<Show>("text");
  const [timeAs, setTimeAs] = useState<TimeAs>("clock");
  const [direction, setDirection] = useState<Direction>("");
  const [find, setFind] = useState("");
  const link = only?.link ?? chosen;
  const one = only ?? instruments.find((instrument) => instrument.link === link);
  const tape = useTapeLines(link, direction, find.trim());
  // Instruments that share a link are on the same lines.
  const onLinks = new Map<string, string[]>();
  for (const { link, name } of instruments) onLinks.set(link, [...(onLinks.get(link) ?? []), name]);
  const names = new Map(instruments.map((instrument) => [instrument.link, instrument.name]));
  const goOn = (): void => {
    setFind("");
    tape.goOn();
  };
  const query = new URLSearchParams({ last: "100000", link, direction, find: find.trim() });
  const last = tape.lines.at(-1);
  const first = tape.lines[0];
  if (tape.held && last && first) {
    query.set("before", String(last.n + 1));
    query.set("after", String(first.n - 1));
  }
  return (
    <Panel aria-label="Tape" style={style}>
      <header>
        <h2>Tape</h2>
        {!only && (
          <Choice
            label="Instrument"
            width={150}
            value={chosen}
            options={[
              { value: "", text: "all instruments" },
              ...[...onLinks].map(([value, names]) => ({ value, text: names.join(", ") })),
            ]}
            onChange={setChosen}
          />
        )}
        <Ways
          aria-label="Shown as"
          selectedKeys={[show]}
          onSelectionChange={([way]) => way && setShow(way as Show)}
          disallowEmptySelection
        >
          {(["text", "hex", "both"] as const).map((way) => (
            <ToggleButton key={way} id={way}>
              {way}
            </ToggleButton>
          ))}
        </Ways>
        <Chip $chosen={tape.held} aria-pressed={tape.held} onPress={tape.held ? goOn : tape.hold}>
          {tape.held ? "held: go on" : "hold"}
        </Chip>
        {more}
        {!only && (
          <span className="facts">
            {connection.leftOut > 0 &&
              !tape.held &&
              `${count(connection.leftOut)} lines not shown live (all are kept). `}
            {one &&
              `${one.settings}, ${one.messages_per_s.toFixed(1)} messages/s${one.answer_ms ? `, answers in ${one.answer_ms.toFixed(0)} ms` : ""}`}
          </span>
        )}
        {tools}
      </header>
      {roomy && (
        <header>
          <Choice label="Direction" width={104} value={direction} options={WAYS} onChange={setDirection} />
          <Choice label="Time as" width={88} value={timeAs} options={TIMES} onChange={setTimeAs} />
          <input
            aria-label="Find on the tape"
            placeholder="find"
            value={find}
            onChange={(event) => setFind(event.target.value)}
          />
          <a
            href={`/api/live/tape/file?${query.toString()}`}
            download
            style={{ fontSize: 12.5, fontWeight: 600 }}
          >
            save
          </a>
          {only && connection.leftOut > 0 && !tape.held && (
            <span className="facts" title="Held, the tape has them all">
              {count(connection.leftOut)} left out
            </span>
          )}
        </header>
      )}
      {tape.trouble && <p className="trouble">{tape.trouble}</p>}
      <TapeView
        lines={tape.lines}
        show={show}
        timeAs={timeAs}
        names={only || link ? null : names}
        follows={!tape.held}
        onLeave={tape.hold}
        onTop={tape.older}
        empty={
          tape.loading
            ? "Looking …"
            : find
              ? `“${find}” is nowhere among the last 100 000 pieces.`
              : "Nothing has gone over the wires yet."
        }
      />
      <Suspense fallback={null}>{roomy && one && <CommandLine key={one.id} instrument={one} />}</Suspense>
    </Panel>
  );
}
