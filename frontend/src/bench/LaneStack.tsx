import { type ReactNode, useCallback, useEffect, useLayoutEffect, useMemo, useRef, useState } from "react";
import styled from "styled-components";
import { valueWords } from "../look/format";
import type { Theme } from "../look/theme";
import { isGood, type Readings, type Shown } from "../live/readings";
import type { Samples } from "../live/samples";
import { Cursor } from "./cursor";
import { CursorLayer } from "./CursorLayer";
import type { Happenings } from "./happenings";
import { Lane } from "./Lane";
import {
  type LaneChannel,
  laneHeights,
  type LaneMark,
  type LaneOverlay,
  type LaneSpec,
  type LaneView,
} from "./lanes";
import { saidOf } from "./readout";
import { TimeAxis } from "./TimeAxis";

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

/** So many channels are said aloud at a cursor. */
const SAID = 8;
const never = (): void => undefined;

/** What a channel has, as it is said aloud. */
function readingWords(channel: LaneChannel, shown: Shown): string {
  const { words } = saidOf(channel, shown, true);
  if (!isGood(shown)) return words && `${channel.name}: ${words}`;
  return `${channel.name} ${valueWords(shown.value, channel)} ${channel.unit}`.trim();
}

export interface LaneStackProps {
  lanes: LaneSpec[];
  samples: Samples;
  view: () => LaneView;
  /** Draws anew when this changes; live views draw by themselves. */
  live: boolean;
  marks: LaneMark[];
  /** What questions found, over the curves. */
  overlays?: readonly LaneOverlay[] | undefined;
  happenings?: Happenings | undefined;
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
  onDrawn?: ((place: number, id: string, drawn: boolean) => void) | undefined;
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
  overlays,
  happenings,
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
  onDrawn,
  onChannel,
  onLimit,
  limitsMovable,
}: LaneStackProps) {
  const draws = useRef(new Set<() => void>());
  const [own] = useState(() => new Cursor());
  const cursor = given ?? own;
  const box = useRef<HTMLDivElement>(null);
  const [room, setRoom] = useState(0);
  const [bar, setBar] = useState(0);
  // A phone scrolls its page: nothing has to stand close.
  const [narrow, setNarrow] = useState(false);

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
    const look = (): void => {
      setRoom(element.clientHeight);
      setNarrow(matchMedia("(max-width: 719px)").matches);
      // The time axis stands exactly below the curves, also beside a scroll bar.
      setBar(element.offsetWidth - element.clientWidth);
    };
    look();
    const observer = new ResizeObserver(look);
    observer.observe(element);
    if (element.firstElementChild) observer.observe(element.firstElementChild);
    return () => observer.disconnect();
  }, []);

  const drawn = useRef<LaneView | null>(null);
  const drawAll = useCallback(() => {
    drawn.current = view();
    draws.current.forEach((draw) => draw());
  }, [view]);
  useEffect(() => drawAll(), [drawAll, marks, overlays, happenings, live, past?.version]);
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

  const onAxis = useCallback((draw: () => void) => register(draw, never), [register]);
  const said = (at: number): string =>
    lanes
      .flatMap((lane) => lane.channels)
      .slice(0, SAID)
      .map((one) => readingWords(one, readings.of(one, view().end, at)))
      .filter(Boolean)
      .join(", ");
  const heads = useMemo(() => lanes.map((lane, place) => head?.(lane, place)), [lanes, head]);
  const heights = laneHeights(
    lanes.map((lane) => lane.channels.length),
    room,
    lanes.map((lane) => lane.weight),
    !narrow,
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
                overlays={overlays}
                happenings={happenings}
                first={index === 0}
                theme={theme}
                register={register}
                readings={readings}
                height={heights[index] ?? 0}
                cursor={cursor}
                past={past}
                head={heads[index]}
                onScale={onScale}
                onDrawn={onDrawn}
                onChannel={onChannel}
                onLimit={onLimit}
                limitsMovable={limitsMovable}
              />
            ))}
          {lanes.length > 0 && (
            <CursorLayer
              cursor={cursor}
              view={view}
              live={live}
              drawn={() => drawn.current ?? view()}
              onZoom={onZoom}
              said={said}
            />
          )}
        </div>
      </Lanes>
      <Foot style={{ paddingRight: bar }}>
        <span>{left}</span>
        <TimeAxis view={view} edge={edge} register={onAxis} />
        {controls}
      </Foot>
    </Stack>
  );
}
