import { useLayoutEffect, useRef, useState } from "react";
import styled from "styled-components";
import { clock, day } from "../look/format";
import { mono } from "../look/theme";
import { benchNow, offsetAt, offsetName, zoneName } from "../look/zone";
import { timeTicks } from "../live/pixels";
import type { LaneView } from "./lanes";

const Ticks = styled.div`
  position: relative;
  height: 18px;
  font: 12px/18px ${mono};
  color: var(--quiet);
  overflow: hidden;
  span {
    position: absolute;
    transform: translateX(-50%);
    white-space: nowrap;
  }
`;

interface Tick {
  at: number;
  label: string;
}

/** Milliseconds between two looks at which ticks there are; their places follow every draw. */
const LOOKED = 250;

export interface TimeAxisProps {
  view: () => LaneView;
  /** What its right edge is called. */
  edge: string;
  /** Registers what moves the ticks with whoever draws the curves. */
  register: (draw: () => void) => () => void;
}

/** The time axis. Its ticks are moved past React; it is redrawn where others have come or gone. */
export function TimeAxis({ view, edge, register }: TimeAxisProps) {
  const [ticks, setTicks] = useState(() => ticksOf(view(), edge));
  const box = useRef<HTMLDivElement>(null);
  useLayoutEffect(() => {
    let looked = -Infinity;
    let shown = ticks;
    const draw = (): void => {
      const axis = view();
      const now = performance.now();
      if (now - looked > LOOKED) {
        looked = now;
        const next = ticksOf(axis, edge);
        if (!same(next, shown)) {
          shown = next;
          setTicks(next);
        }
      }
      place(box.current, axis, shown);
    };
    draw();
    return register(draw);
  }, [view, edge, register, ticks]);
  const [start] = useState(() => view().end);
  return (
    <Ticks title={`Times of ${zoneName()}, ${offsetName(start)}`}>
      <div ref={box} style={{ display: "contents" }}>
        {ticks.map(({ at, label }) => (
          <span key={at}>{label}</span>
        ))}
      </div>
      {edge && <span style={{ left: "auto", right: 4, transform: "none" }}>{edge}</span>}
    </Ticks>
  );
}

/** Moves the ticks to where they stand now. */
function place(box: HTMLElement | null, axis: LaneView, ticks: Tick[]): void {
  const span = axis.end - axis.start;
  // Others that have come are not on the page yet.
  if (box?.children.length !== ticks.length) return;
  ticks.forEach(({ at, label }, index) => {
    const tick = box.children[index] as HTMLElement | undefined;
    // A long one beside the left edge stands as near to its place as it can without being cut.
    const left = `${(((at - axis.start) / span) * 100).toFixed(2)}%`;
    if (tick)
      tick.style.left = index === 0 && label.length > 8 ? `max(${left}, ${label.length / 2}ch)` : left;
  });
}

const same = (one: Tick[], other: Tick[]): boolean =>
  one.length === other.length &&
  one.every((tick, index) => tick.at === other[index]?.at && tick.label === other[index].label);

/** The ticks of an axis that have room beside its edges. */
export function ticksOf(axis: LaneView, edge: string): Tick[] {
  const span = axis.end - axis.start;
  const { step, at } = timeTicks(axis.start, axis.end, 6);
  const changes = offsetAt(axis.start) !== offsetAt(axis.end);
  const last = edge ? 0.91 - 0.004 * Math.max(0, edge.length - 6) : 0.97;
  const first = span > 86_400_000 ? 0.07 : 0.03; // dates are wide
  const ticks = at.filter((t) => (t - axis.start) / span > first && (t - axis.start) / span < last);
  const label = (t: number, place: number): string => {
    if (step >= 86_400_000) return day(t);
    const time = step < 60_000 ? clock(t) : clock(t).slice(0, 5);
    // The hour that comes twice when summer time ends is told apart by its offset.
    const words = changes ? `${time} ${offsetName(t).slice(3)}` : time;
    const before = ticks[place - 1];
    const dates = before === undefined ? day(t) !== day(benchNow()) : day(t) !== day(before);
    return dates ? `${day(t)} ${words}` : words;
  };
  return ticks.map((t, place) => ({ at: t, label: label(t, place) }));
}
