import { type ReactNode, useState } from "react";
import styled from "styled-components";
import type { Instrument } from "../api/client";
import { count } from "../look/format";
import { connection } from "../live/connection";
import { Chip } from "../parts/Button";
import { CommandLine } from "./CommandLine";
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
  header select,
  header input {
    border: 1px solid var(--hairline);
    border-radius: 6px;
    background: var(--panel);
    min-height: 26px;
    font-size: 12.5px;
    font-weight: 600;
    max-width: 170px;
  }
  header input {
    width: 120px;
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
          <select aria-label="Instrument" value={chosen} onChange={(event) => setChosen(event.target.value)}>
            <option value="">all instruments</option>
            {instruments.map((instrument) => (
              <option key={instrument.id} value={instrument.link}>
                {instrument.name}
              </option>
            ))}
          </select>
        )}
        {(["text", "hex", "both"] as const).map((way) => (
          <Chip key={way} $chosen={show === way} aria-pressed={show === way} onPress={() => setShow(way)}>
            {way}
          </Chip>
        ))}
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
          <select
            aria-label="Direction"
            value={direction}
            onChange={(event) => setDirection(event.target.value as Direction)}
          >
            <option value="">both ways</option>
            <option value="in">received</option>
            <option value="out">sent</option>
            <option value="events">events</option>
          </select>
          <select
            aria-label="Time as"
            value={timeAs}
            onChange={(event) => setTimeAs(event.target.value as TimeAs)}
          >
            <option value="clock">clock</option>
            <option value="elapsed">elapsed</option>
            <option value="gap">gap</option>
          </select>
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
      {roomy && one && <CommandLine key={one.id} instrument={one} />}
    </Panel>
  );
}
