import { type ReactNode, useCallback, useEffect, useLayoutEffect, useMemo, useRef, useState } from "react";
import styled from "styled-components";
import { clock, day } from "../look/format";
import { mono, type Theme } from "../look/theme";
import { benchNow, offsetAt, offsetName, zoneName } from "../look/zone";
import { useBeat } from "../live/connection";
import { timeTicks } from "../live/pixels";
import type { Readings } from "../live/readings";
import type { Samples } from "../live/samples";
import { Cursor } from "./cursor";
import { CursorLayer } from "./CursorLayer";
import { Lane, type LaneMark, type LaneView } from "./Lane";
import { type LaneChannel, laneHeights, type LaneSpec } from "./lanes";

const Stack = styled.section`
  display: flex;
  flex-direction: column;
  background: var(--panel);
  border: 1px solid var(--hairline);
  border-radius: var(--radius);
  overflow: hidden;
  min-height: 0;
`;

const Lanes = styled.div`
  flex: 1;
  min-height: 0;
  overflow-y: auto;
  overflow-x: hidden;
  scrollbar-width: thin;
`;

const Foot = styled.div`
  display: grid;
  grid-template-columns: 60px minmax(0, 1fr) 254px;
  height: 38px;
  align-items: center;
  @media (max-width: 719px) {
    grid-template-columns: minmax(0, 1fr);
    > :not(:last-child) {
      display: none;
    }
  }
`;

const Ticks = styled.div`
  position: relative;
  height: 18px;
  font: 12px/18px ${mono};
  color: var(--quiet);
  span {
    position: absolute;
    transform: translateX(-50%);
    white-space: nowrap;
  }
`;

export interface LaneStackProps {
  lanes: LaneSpec[];
  samples: Samples;
  view: () => LaneView;
  /** Draws anew when this changes; live views draw by themselves. */
  live: boolean;
  marks: LaneMark[];
  theme: Theme;
  readings: Readings;
  /** Under the scales. */
  left?: ReactNode;
  /** Under the pen ends. */
  controls: ReactNode;
  /** What the right edge of the time axis is called. */
  edge: string;
  cursor?: Cursor | undefined;
  past?: { samples: Samples; version: number } | undefined;
  head?: ((lane: LaneSpec, place: number) => ReactNode) | undefined;
  onZoom?: ((view: LaneView) => void) | undefined;
  onScale?: ((place: number, scale: [number, number] | null) => void) | undefined;
  onChannel?: ((channel: LaneChannel) => void) | undefined;
  onLimit?: ((channel: LaneChannel, which: "low" | "high", value: number) => void) | undefined;
  limitsMovable?: boolean | undefined;
}

/** All lanes over one time axis. One rhythm draws them all, no more often than a pixel of the window fills. */
export function LaneStack({
  lanes,
  samples,
  view,
  live,
  marks,
  theme,
  readings,
  left,
  controls,
  edge,
  cursor: given,
  past,
  head,
  onZoom,
  onScale,
  onChannel,
  onLimit,
  limitsMovable,
}: LaneStackProps) {
  const draws = useRef(new Set<() => void>());
  const [own] = useState(() => new Cursor());
  const cursor = given ?? own;
  const box = useRef<HTMLDivElement>(null);
  const [room, setRoom] = useState(0);

  const pens = useRef(new Set<() => void>());
  const register = useCallback((draw: () => void, pen: () => void) => {
    draws.current.add(draw);
    pens.current.add(pen);
    return () => {
      draws.current.delete(draw);
      pens.current.delete(pen);
    };
  }, []);

  useLayoutEffect(() => {
    const element = box.current;
    if (!element) return;
    // At once, so that nothing is painted without its lanes.
    setRoom(element.clientHeight);
    const observer = new ResizeObserver(() => setRoom(element.clientHeight));
    observer.observe(element);
    return () => observer.disconnect();
  }, []);

  const drawn = useRef<LaneView | null>(null);
  const drawAll = useCallback(() => {
    drawn.current = view();
    draws.current.forEach((draw) => draw());
  }, [view]);
  useEffect(() => drawAll(), [drawAll, marks, live, past?.version]);
  useEffect(() => cursor.subscribe(() => pens.current.forEach((pen) => pen())), [cursor]);
  useEffect(() => readings.subscribe(() => pens.current.forEach((pen) => pen())), [readings]);

  useEffect(() => {
    if (!live) return;
    let frame = 0;
    let drawnAt = 0;
    let penned = 0;
    let slow = 16;
    let last = performance.now();
    const beat = (time: number): void => {
      frame = requestAnimationFrame(beat);
      slow = 0.8 * slow + 0.2 * Math.min(time - last, 1000);
      last = time;
      const now = view();
      // A pixel of a long window takes its time to fill; digits do not wait for it.
      const fill = Math.min(Math.max((now.end - now.start) / 900 / 2, 45), 1000);
      // A computer that cannot keep up draws less often, and stays free for the person.
      const pause = slow > 60 ? Math.max(fill, slow * 4) : fill;
      if (time - drawnAt >= pause) {
        drawnAt = time;
        drawAll();
      } else if (time - penned >= 30) pens.current.forEach((pen) => pen());
      else return;
      penned = time;
    };
    frame = requestAnimationFrame(beat);
    return () => cancelAnimationFrame(frame);
  }, [live, view, drawAll]);

  const heads = useMemo(() => lanes.map((lane, place) => head?.(lane, place)), [lanes, head]);
  const heights = laneHeights(
    lanes.map((lane) => lane.channels.length),
    room,
    lanes.map((lane) => lane.weight),
  );
  return (
    <Stack aria-label="Trends">
      <Lanes ref={box}>
        <div style={{ position: "relative" }}>
          {room > 0 &&
            lanes.map((lane, index) => (
              <Lane
                key={lane.key}
                place={index}
                lane={lane}
                samples={samples}
                view={view}
                marks={marks}
                first={index === 0}
                theme={theme}
                register={register}
                readings={readings}
                height={heights[index] ?? 0}
                cursor={cursor}
                past={past}
                head={heads[index]}
                onScale={onScale}
                onChannel={onChannel}
                onLimit={onLimit}
                limitsMovable={limitsMovable}
              />
            ))}
          {lanes.length > 0 && (
            <WithAxis view={view} live={live}>
              {(axis) => (
                <CursorLayer
                  cursor={cursor}
                  axis={axis}
                  drawn={() => drawn.current ?? view()}
                  onZoom={onZoom}
                />
              )}
            </WithAxis>
          )}
        </div>
      </Lanes>
      <Foot>
        <span>{left}</span>
        <WithAxis view={view} live={live}>
          {(axis) => <TimeAxis axis={axis} edge={edge} />}
        </WithAxis>
        {controls}
      </Foot>
    </Stack>
  );
}

interface WithAxisProps {
  view: () => LaneView;
  live: boolean;
  children: (axis: LaneView) => ReactNode;
}

/** What follows the time axis is drawn anew at every beat of the page; the lanes are not. */
function WithAxis({ view, live, children }: WithAxisProps) {
  useBeat(live);
  return children(view());
}

function TimeAxis({ axis, edge }: { axis: LaneView; edge: string }) {
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
  return (
    <Ticks title={`Times of ${zoneName()}, ${offsetName(axis.end)}`}>
      {ticks.map((t, place) => (
        <span key={t} style={{ left: `${((t - axis.start) / span) * 100}%` }}>
          {label(t, place)}
        </span>
      ))}
      {edge && <span style={{ left: "auto", right: 4, transform: "none" }}>{edge}</span>}
    </Ticks>
  );
}
