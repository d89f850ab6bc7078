import { useEffect, useMemo, useRef } from "react";
import styled from "styled-components";
import type { TapeLine } from "../api/client";
import { count } from "../look/format";
import { mono } from "../look/theme";
import { ControlText, hex } from "../parts/ControlText";
import { answers, isBad, isWire, joined, type Show, type TimeAs, timeOf, whySent } from "./lines";
import { useRowsInView } from "./useRowsInView";

const Box = styled.div`
  flex: 1;
  min-height: 0;
  overflow: auto;
  font: 13px/20px ${mono};
  .all {
    position: relative;
    min-width: 100%;
  }
  .line[data-chosen] {
    background: var(--chosen);
  }
  .line button {
    border: 0;
    background: none;
    padding: 0;
    font: inherit;
    color: var(--action);
    cursor: pointer;
  }
  .line {
    position: absolute;
    top: 0;
    left: 0;
    height: 20px;
    min-width: 100%;
    display: flex;
    gap: 9px;
    white-space: pre;
    padding-right: 8px;
  }
  .line[data-answer="true"] {
    box-shadow: inset 3px 0 var(--query);
    padding-left: 7px;
  }
  time,
  .why {
    color: var(--quiet);
  }
  .why {
    font-style: italic;
  }
  .out {
    color: var(--query);
  }
  .hex {
    color: var(--quiet);
  }
  .event {
    color: var(--quiet);
    font-style: italic;
  }
  .event[data-bad="true"] {
    color: var(--fault);
    font-style: normal;
  }
  .who {
    color: var(--quiet);
    flex: none;
    width: 15ch;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  mark {
    background: var(--chosen);
    color: inherit;
  }
`;

const HEIGHT = 20;

export interface TapeViewProps {
  lines: TapeLine[];
  show: Show;
  timeAs: TimeAs;
  /** Names of instruments by link, where several are shown. */
  names: Map<string, string> | null;
  /** Stay at the newest line. */
  follows: boolean;
  /** A person scrolled up, away from the newest line. */
  onLeave?: () => void;
  /** The oldest line came into view: there may be more before it. */
  onTop?: () => void;
  empty: string;
  /** A line of the only link that stands out, by its number, and is in view; it may be a later piece of what is joined. */
  chosen?: number;
  /** A line was pressed. */
  onLine?: (line: TapeLine) => void;
}

/** Lines of the tape, only those in view drawn: a hundred thousand scroll like ten. */
export function TapeView({
  lines: pieces,
  show,
  timeAs,
  names,
  follows,
  onLeave,
  onTop,
  empty,
  chosen,
  onLine,
}: TapeViewProps) {
  const box = useRef<HTMLDivElement>(null);
  // Gaps are between pieces; otherwise the eye wants whole messages.
  const lines = useMemo(() => (timeAs === "gap" ? pieces : joined(pieces)), [pieces, timeAs]);
  const answered = useMemo(() => answers(lines), [lines]);
  const [from, to] = useRowsInView(box, lines.length, HEIGHT);
  const newest = lines.at(-1)?.n;
  useEffect(() => {
    if (follows && box.current) box.current.scrollTop = box.current.scrollHeight;
  }, [newest, follows, lines.length]);
  const place = chosen === undefined ? -1 : lines.findLastIndex((line) => line.n <= chosen);
  useEffect(() => {
    const element = box.current;
    if (element && place >= 0)
      element.scrollTop = Math.max(0, (place + 0.5) * HEIGHT - element.clientHeight / 2);
  }, [place]);
  // Older lines that are put in front must not move what is being read.
  const oldest = lines[0]?.n;
  const last = useRef({ oldest, count: lines.length });
  useEffect(() => {
    const before = last.current;
    if (
      !follows &&
      box.current &&
      before.oldest !== undefined &&
      oldest !== undefined &&
      oldest < before.oldest
    )
      box.current.scrollTop += (lines.length - before.count) * HEIGHT;
    last.current = { oldest, count: lines.length };
  }, [oldest, lines.length, follows]);
  return (
    <Box
      ref={box}
      tabIndex={0}
      role="log"
      aria-live="off"
      aria-label="Lines of the tape"
      data-testid="tape"
      onWheel={(event) => event.deltaY < 0 && follows && onLeave?.()}
      onKeyDown={(event) => ["PageUp", "ArrowUp", "Home"].includes(event.key) && follows && onLeave?.()}
      onScroll={(event) => event.currentTarget.scrollTop < 200 && !follows && onTop?.()}
    >
      {lines.length === 0 && <span className="event">{empty}</span>}
      <div className="all" style={{ height: lines.length * HEIGHT }}>
        {lines.slice(from, to).map((line, row) => {
          const index = from + row;
          return (
            <div
              className="line"
              key={line.n}
              data-answer={answered[index]}
              data-chosen={index === place || undefined}
              style={{ transform: `translateY(${index * HEIGHT}px)` }}
            >
              {onLine ? (
                <button type="button" onClick={() => onLine(line)} title="To its place in the curve">
                  <time>{timeOf(line, timeAs, lines[0], lines[index - 1])}</time>
                </button>
              ) : (
                <time>{timeOf(line, timeAs, lines[0], lines[index - 1])}</time>
              )}
              {names && <span className="who">{names.get(line.link) ?? ""}</span>}
              <Said line={line} show={show} />
            </div>
          );
        })}
      </div>
    </Box>
  );
}

function Said({ line, show }: { line: TapeLine; show: Show }) {
  if (!isWire(line))
    return (
      <span className="event" data-bad={isBad(line)}>
        {line.text}
      </span>
    );
  const out = line.kind === "out";
  const why = whySent(line);
  return (
    <>
      <span className={line.kind} aria-label={out ? "sent" : "received"} role="img">
        {out ? "→" : "←"}
      </span>
      {show !== "hex" && (
        <span className={line.kind}>
          <ControlText text={line.text} />
        </span>
      )}
      {show !== "text" && <span className={show === "both" ? "hex" : line.kind}>{hex(line.text)}</span>}
      {line.more > 0 && <span className="why">… {count(line.more)} more bytes (all are on the tape)</span>}
      {why && <span className="why">{why}</span>}
    </>
  );
}
