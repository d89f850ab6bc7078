import { useEffect, useRef, useState } from "react";
import styled from "styled-components";
import type { Instrument, TapeLine } from "../api/client";
import { clockMilli, count } from "../look/format";
import { mono } from "../look/theme";
import { connection, useTape } from "../live/connection";
import { Chip } from "../parts/Button";
import { ControlText, hex } from "../parts/ControlText";

const Panel = styled.section<{ $tall: boolean }>`
  background: var(--panel);
  border: 1px solid var(--hairline);
  border-radius: var(--radius);
  height: ${({ $tall }) => ($tall ? "45vh" : "118px")};
  display: flex;
  flex-direction: column;
  padding: 7px 12px;
  min-width: 0;
  header {
    display: flex;
    align-items: center;
    gap: 8px;
    min-height: 28px;
    margin-bottom: 2px;
  }
  h2 {
    font-size: 13.5px;
    margin-right: 6px;
  }
  select {
    border: 1px solid var(--hairline);
    border-radius: 6px;
    background: var(--panel);
    min-height: 26px;
    font-size: 12.5px;
    font-weight: 600;
    max-width: 200px;
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
  @media (max-width: 719px) {
    .facts {
      display: none;
    }
    header {
      flex-wrap: wrap;
    }
    height: 190px;
  }
`;

const Lines = styled.div`
  flex: 1;
  min-height: 0;
  overflow-y: auto;
  font: 13px/19px ${mono};
  .line {
    display: flex;
    gap: 9px;
    white-space: pre;
  }
  time {
    color: var(--quiet);
  }
  .out {
    color: var(--query);
  }
  .event {
    color: var(--quiet);
    font-style: italic;
    white-space: normal;
  }
  .event[data-bad="true"] {
    color: var(--fault);
    font-style: normal;
  }
  .who {
    color: var(--quiet);
    width: 17ch;
    overflow: hidden;
    text-overflow: ellipsis;
  }
`;

const SHOWN = 120;

export interface TapePanelProps {
  instruments: Instrument[];
  tall: boolean;
  onTall: () => void;
}

/** The last lines of the tape: what went over the wires, both ways, and what was decided. */
export function TapePanel({ instruments, tall, onTall }: TapePanelProps) {
  const tape = useTape();
  const [link, setLink] = useState("");
  const [inHex, setInHex] = useState(false);
  const [held, setHeld] = useState<TapeLine[] | null>(null);
  const box = useRef<HTMLDivElement>(null);
  const all = held ?? tape;
  const lines = (link ? all.filter((line) => line.link === link || !line.link) : all).slice(-SHOWN);
  const one = instruments.find((instrument) => instrument.link === link);
  const names = new Map(instruments.map((instrument) => [instrument.link, instrument.name]));
  const newest = lines.at(-1)?.n;
  useEffect(() => {
    if (!held && box.current) box.current.scrollTop = box.current.scrollHeight;
  }, [newest, held, tall]);
  return (
    <Panel $tall={tall} aria-label="Tape">
      <header>
        <h2>Tape</h2>
        <select aria-label="Instrument" value={link} onChange={(event) => setLink(event.target.value)}>
          <option value="">all instruments</option>
          {instruments.map((instrument) => (
            <option key={instrument.id} value={instrument.link}>
              {instrument.name}
            </option>
          ))}
        </select>
        <Chip $chosen={!inHex} onPress={() => setInHex(false)}>
          text
        </Chip>
        <Chip $chosen={inHex} onPress={() => setInHex(true)}>
          hex
        </Chip>
        <Chip $chosen={held !== null} onPress={() => setHeld(held ? null : tape)}>
          {held ? "held: go on" : "hold"}
        </Chip>
        <Chip onPress={onTall} aria-expanded={tall}>
          {tall ? "less" : "more"}
        </Chip>
        <span className="facts">
          {connection.leftOut > 0 && `${count(connection.leftOut)} lines left out for the eye. `}
          {one &&
            `${one.settings}, ${one.messages_per_s.toFixed(1)} messages/s${one.answer_ms ? `, answers in ${one.answer_ms.toFixed(0)} ms` : ""}`}
        </span>
      </header>
      <Lines ref={box} tabIndex={0} aria-label="Lines of the tape" data-testid="tape">
        {lines.length === 0 && <span className="event">Nothing has gone over the wires yet.</span>}
        {lines.map((line) => (
          <Line key={line.n} line={line} inHex={inHex} who={link ? null : (names.get(line.link) ?? "")} />
        ))}
      </Lines>
    </Panel>
  );
}

function Line({ line, inHex, who }: { line: TapeLine; inHex: boolean; who: string | null }) {
  const wire = line.kind === "in" || line.kind === "out";
  const bad = line.kind === "gave-up" || line.kind === "lost" || line.kind === "missed";
  return (
    <div className="line">
      <time>{clockMilli(line.at / 1000)}</time>
      {who !== null && <span className="who">{who}</span>}
      {wire ? (
        <>
          <span className={line.kind} aria-label={line.kind === "out" ? "sent" : "received"}>
            {line.kind === "out" ? "→" : "←"}
          </span>
          <span className={line.kind}>{inHex ? hex(line.text) : <ControlText text={line.text} />}</span>
        </>
      ) : (
        <span className="event" data-bad={bad}>
          {line.text}
        </span>
      )}
    </div>
  );
}
