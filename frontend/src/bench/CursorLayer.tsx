import { type KeyboardEvent, type PointerEvent, useEffect, useReducer, useRef, useState } from "react";
import styled from "styled-components";
import { clockMilli, dated, length } from "../look/format";
import { mono } from "../look/theme";
import { useBeat } from "../live/connection";
import type { Cursor } from "./cursor";
import type { LaneView } from "./lanes";

const Layer = styled.div`
  position: absolute;
  inset: 0 254px 0 60px;
  cursor: crosshair;
  touch-action: pan-y;
  outline-offset: -2px;
  @media (max-width: 719px) {
    display: none;
  }
`;

const Line = styled.div`
  position: absolute;
  top: 0;
  bottom: 0;
  width: 0;
  border-left: 1.5px solid var(--ink);
  pointer-events: none;
  &[data-second="true"] {
    border-left-style: dashed;
    span {
      top: 26px;
    }
  }
  span {
    position: sticky;
    top: 4px;
    display: inline-block;
    font: 12px/18px ${mono};
    background: var(--ink);
    color: var(--panel);
    border-radius: 3px;
    padding: 0 6px;
    white-space: nowrap;
    transform: translateX(-50%);
  }
`;

const Chosen = styled.div`
  position: absolute;
  top: 0;
  bottom: 0;
  background: var(--action);
  opacity: 0.16;
  pointer-events: none;
`;

export interface CursorLayerProps {
  cursor: Cursor;
  /** The time axis as it is now. */
  view: () => LaneView;
  /** Whether it moves on with the time. */
  live?: boolean | undefined;
  /** The time axis that the curves under the pointer were drawn with. */
  drawn: () => LaneView;
  onZoom?: ((view: LaneView) => void) | undefined;
  /** What is measured at a time, in words. */
  said?: ((at: number) => string) | undefined;
}

/** Over the curves: the pointer reads them, a press pins the cursor, dragging chooses a stretch to zoom in on. */
export function CursorLayer({ cursor, view, live = false, drawn, onZoom, said }: CursorLayerProps) {
  const layer = useRef<HTMLDivElement>(null);
  const [, again] = useReducer((n: number) => n + 1, 0);
  // Times, not places: a stretch that is being chosen moves on with its curves.
  const [drag, setDrag] = useState<{ from: number; to: number; x: number } | null>(null);
  useEffect(() => cursor.subscribe(again), [cursor]);
  // What stands over a moving axis moves on with it.
  useBeat(live && (cursor.at !== null || cursor.from !== null || drag !== null));
  const axis = view();
  const span = axis.end - axis.start;
  const time = (event: PointerEvent): number => {
    const box = layer.current?.getBoundingClientRect();
    const share = box ? Math.min(1, Math.max(0, (event.clientX - box.left) / Math.max(box.width, 1))) : 0;
    const { start, end } = drawn();
    return start + share * (end - start);
  };
  const percent = (at: number): string => `${((at - axis.start) / span) * 100}%`;
  const share = (at: number): number => Math.min(1, Math.max(0, (at - axis.start) / span));
  const inside = (at: number | null): at is number => at !== null && at >= axis.start && at <= axis.end;
  const keys = (event: KeyboardEvent): void => {
    const steps: Record<string, number> = { ArrowLeft: -1, ArrowRight: 1 };
    const step = steps[event.key];
    if (step !== undefined) {
      const far = event.shiftKey ? 0.1 : 0.01;
      const now = cursor.at ?? axis.end;
      cursor.move(Math.min(axis.end, Math.max(axis.start, now + step * far * span)));
    } else if (event.key === "Enter" || event.key === " ") cursor.press(cursor.at ?? axis.end);
    else if (event.key === "Escape") cursor.clear();
    else if (onZoom && (event.key === "+" || event.key === "-")) {
      const half = event.key === "+" ? span / 4 : span;
      const middle = cursor.at ?? axis.end - span / 2;
      onZoom({ start: middle - half, end: middle + half });
    } else if (onZoom && event.key === "z" && cursor.at !== null && cursor.from !== null) {
      onZoom({ start: Math.min(cursor.from, cursor.at), end: Math.max(cursor.from, cursor.at) });
      cursor.clear();
    } else return;
    event.preventDefault();
    event.stopPropagation();
  };
  const words =
    cursor.at === null
      ? "at the pen's end"
      : dated(cursor.at, clockMilli(cursor.at)) +
        (cursor.from === null ? "" : `, ${length(Math.abs(cursor.at - cursor.from))}`) +
        (said ? `, ${said(cursor.at)}` : "");
  return (
    <Layer
      ref={layer}
      tabIndex={0}
      role="slider"
      aria-label="Cursor over all lanes"
      aria-valuemin={0}
      aria-valuemax={100}
      aria-valuenow={Math.round(cursor.at === null ? 100 : ((cursor.at - axis.start) / span) * 100)}
      aria-valuetext={words}
      data-testid="cursor"
      onKeyDown={keys}
      onPointerDown={(event) => {
        if (event.button !== 0) return;
        event.currentTarget.setPointerCapture(event.pointerId);
        const at = time(event);
        setDrag({ from: at, to: at, x: event.clientX });
      }}
      onPointerMove={(event) => {
        const at = time(event);
        if (drag) setDrag({ ...drag, to: at });
        cursor.hover(at);
      }}
      onPointerUp={(event) => {
        if (!drag) return;
        setDrag(null);
        const at = time(event);
        if (Math.abs(event.clientX - drag.x) < 6) cursor.press(at);
        else if (onZoom) {
          cursor.clear();
          onZoom({ start: Math.min(drag.from, at), end: Math.max(drag.from, at) });
        }
      }}
      onPointerCancel={() => setDrag(null)}
      onPointerLeave={() => !drag && cursor.hover(null)}
    >
      {!drag && cursor.at !== null && cursor.from !== null && (
        <Chosen
          style={{
            left: `${100 * share(Math.min(cursor.at, cursor.from))}%`,
            width: `${100 * (share(Math.max(cursor.at, cursor.from)) - share(Math.min(cursor.at, cursor.from)))}%`,
            opacity: 0.08,
          }}
        />
      )}
      {inside(cursor.from) && (
        <Line data-second="true" style={{ left: percent(cursor.from) }}>
          <span>{dated(cursor.from, clockMilli(cursor.from))}</span>
        </Line>
      )}
      {inside(cursor.at) && (
        <Line style={{ left: percent(cursor.at) }}>
          <span>
            {dated(cursor.at, clockMilli(cursor.at))}
            {cursor.from !== null && ` · ${length(Math.abs(cursor.at - cursor.from))}`}
          </span>
        </Line>
      )}
      {drag && onZoom && Math.abs(drag.to - drag.from) > 0.005 * span && (
        <Chosen
          style={{
            left: percent(Math.min(drag.from, drag.to)),
            width: `${(Math.abs(drag.to - drag.from) / span) * 100}%`,
          }}
        />
      )}
    </Layer>
  );
}
