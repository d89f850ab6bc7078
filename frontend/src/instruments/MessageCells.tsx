import { type KeyboardEvent, useEffect, useMemo, useRef, useState } from "react";
import styled from "styled-components";
import type { MessageSpan } from "../api/client";
import { mono } from "../look/theme";
import { pieces } from "../parts/ControlText";

const Row = styled.div`
  display: grid;
  grid-auto-columns: minmax(0, 26px);
  grid-auto-flow: column;
  justify-content: start;
  margin-bottom: 4px;
  user-select: none;
  touch-action: none;
`;

const Cell = styled.span<{ $ink: string; $chosen: boolean; $wrong: boolean }>`
  grid-row: 1;
  display: grid;
  place-items: center;
  height: 36px;
  font: 600 17px/1 ${mono};
  border: 1px solid ${({ $wrong }) => ($wrong ? "var(--fault)" : "var(--hairline)")};
  margin-left: -1px;
  color: ${({ $ink }) => $ink || "var(--quiet)"};
  background: ${({ $chosen, $ink }) =>
    $chosen ? "var(--chosen)" : $ink ? `color-mix(in srgb, ${$ink} 12%, var(--panel))` : "var(--panel)"};
  cursor: text;
  &[data-caret="true"] {
    box-shadow: inset 0 0 0 2px var(--action);
  }
  &[data-control="true"] {
    font-size: 10px;
  }
`;

const Label = styled.span<{ $ink: string }>`
  grid-row: 2;
  border-top: 3px solid ${({ $ink }) => $ink};
  color: ${({ $ink }) => $ink};
  font-weight: 600;
  font-size: 12px;
  padding-top: 2px;
  text-align: center;
  overflow-wrap: anywhere;
  min-width: 0;
`;

const MAX_SHOWN = 320;
const INKS = { number: "var(--query)", text: "var(--caution)" };
const NUMBERS = new Set(["number", "int", "hex", "bits"]);

/** Which characters are marked: from `start` up to `end`. */
export interface Marked {
  start: number;
  end: number;
}

/** A message, a cell a character: drag (or shift and the arrows) marks a part of it. */
export function MessageCells({
  message,
  spans,
  column,
  marked,
  onMark,
  onEnter,
}: {
  message: string;
  spans: MessageSpan[];
  column: number;
  marked: Marked | null;
  onMark: (marked: Marked | null) => void;
  onEnter: () => void;
}) {
  const shown = message.slice(0, MAX_SHOWN);
  const [caret, setCaret] = useState(0);
  const anchor = useRef<number | null>(null);
  const box = useRef<HTMLDivElement>(null);
  const [across, setAcross] = useState(24);
  useEffect(() => {
    const element = box.current;
    if (!element || typeof ResizeObserver === "undefined") return;
    const watch = new ResizeObserver(() => setAcross(Math.max(8, Math.floor(element.clientWidth / 26.5))));
    watch.observe(element);
    return () => watch.disconnect();
  }, []);
  useEffect(() => {
    const end = (): void => {
      anchor.current = null;
    };
    window.addEventListener("pointerup", end);
    return () => window.removeEventListener("pointerup", end);
  }, []);
  const rows = useMemo(() => {
    const starts = [];
    for (let at = 0; at < Math.max(1, shown.length); at += across) starts.push(at);
    return starts;
  }, [shown.length, across]);
  const span = (from: number, to: number): void =>
    onMark({ start: Math.min(from, to), end: Math.max(from, to) + 1 });
  const inkAt = (at: number): string => {
    const found = spans.find((one) => at >= one.start && at < one.end);
    return found ? (NUMBERS.has(found.kind) ? INKS.number : INKS.text) : "";
  };
  const onKey = (event: KeyboardEvent): void => {
    const step = { ArrowLeft: -1, ArrowRight: 1, ArrowUp: -across, ArrowDown: across }[event.key];
    if (step !== undefined || event.key === "Home" || event.key === "End") {
      event.preventDefault();
      const wanted = event.key === "Home" ? 0 : event.key === "End" ? shown.length - 1 : caret + (step ?? 0);
      const next = Math.min(Math.max(0, wanted), shown.length - 1);
      if (event.shiftKey) {
        anchor.current ??= caret;
        span(anchor.current, next);
      } else {
        anchor.current = null;
        onMark({ start: next, end: next + 1 });
      }
      setCaret(next);
    } else if (event.key === "Enter" && marked) {
      event.preventDefault();
      onEnter();
    } else if (event.key === "Escape" && marked) {
      event.preventDefault();
      onMark(null);
    }
  };
  // A widget of its own: gone through and marked by arrow keys.
  const keyboard = {
    tabIndex: 0,
    onKeyDown: onKey,
    onKeyUp: (event: KeyboardEvent) => {
      if (event.key === "Shift") anchor.current = null;
    },
  };
  const words = marked ? `marked: ${shown.slice(marked.start, marked.end)}` : "nothing marked";
  return (
    <div
      ref={box}
      role="group"
      aria-label={`Message ${shown}; ${words}. Arrows move, shift and arrows mark, enter says what it is.`}
      data-testid="message-cells"
      {...keyboard}
    >
      {rows.map((begin) => (
        <Row key={begin}>
          {Array.from(shown.slice(begin, begin + across), (char, index) => {
            const at = begin + index;
            const [piece] = pieces(char);
            return (
              <Cell
                key={at}
                data-at={at}
                data-control={piece?.control}
                data-caret={at === caret && marked !== null}
                $ink={inkAt(at)}
                $chosen={marked !== null && at >= marked.start && at < marked.end}
                $wrong={column > 0 && at === column - 1}
                onPointerDown={(event) => {
                  (event.target as Element).releasePointerCapture?.(event.pointerId);
                  anchor.current = at;
                  setCaret(at);
                  span(at, at);
                }}
                onPointerEnter={() => {
                  if (anchor.current !== null) {
                    setCaret(at);
                    span(anchor.current, at);
                  }
                }}
                onDoubleClick={() => {
                  const field = spans.find((one) => at >= one.start && at < one.end);
                  if (field) onMark({ start: field.start, end: field.end });
                }}
              >
                {char === " " ? "·" : (piece?.text ?? char)}
              </Cell>
            );
          })}
          {spans
            .filter((one) => one.start < begin + across && one.end > begin)
            .map((one) => (
              <Label
                key={one.name}
                $ink={NUMBERS.has(one.kind) ? INKS.number : INKS.text}
                style={{
                  gridColumn: `${Math.max(one.start, begin) - begin + 1} / ${Math.min(one.end, begin + across) - begin + 1}`,
                }}
              >
                {one.start >= begin ? one.name : ""}
              </Label>
            ))}
        </Row>
      ))}
      {message.length > MAX_SHOWN && (
        <p style={{ color: "var(--quiet)" }}>… and {message.length - MAX_SHOWN} characters more.</p>
      )}
    </div>
  );
}
