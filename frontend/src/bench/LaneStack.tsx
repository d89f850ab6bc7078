import { type ReactNode, useCallback, useEffect, useLayoutEffect, useRef, useState } from "react";
import styled from "styled-components";
import { clock, moment } from "../look/format";
import { mono, type Theme } from "../look/theme";
import { timeTicks } from "../live/pixels";
import type { Samples } from "../live/samples";
import { Lane, type LaneMark, type LaneView } from "./Lane";
import { laneHeights, type LaneSpec } from "./lanes";

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
  shows: "now" | "mean";
  /** Under the scales. */
  left?: ReactNode;
  /** Under the pen ends. */
  controls: ReactNode;
  /** What the right edge of the time axis is called. */
  edge: string;
}

/** All lanes over one time axis. One rhythm draws them all, no more often than a pixel of the window fills. */
export function LaneStack({
  lanes,
  samples,
  view,
  live,
  marks,
  theme,
  shows,
  left,
  controls,
  edge,
}: LaneStackProps) {
  const draws = useRef(new Set<() => void>());
  const box = useRef<HTMLDivElement>(null);
  const [room, setRoom] = useState(0);
  const [beatAxis, setBeatAxis] = useState(() => view());

  const register = useCallback((draw: () => void) => {
    draws.current.add(draw);
    return () => {
      draws.current.delete(draw);
    };
  }, []);

  useLayoutEffect(() => {
    const element = box.current;
    if (!element) return;
    const observer = new ResizeObserver(() => setRoom(element.clientHeight));
    observer.observe(element);
    return () => observer.disconnect();
  }, []);

  useEffect(() => {
    draws.current.forEach((draw) => draw());
  }, [view, marks, live]);

  useEffect(() => {
    if (!live) return;
    let frame = 0;
    let drawn = 0;
    let told = 0;
    const beat = (time: number): void => {
      frame = requestAnimationFrame(beat);
      const now = view();
      // A pixel of a long window takes its time to fill.
      const pause = Math.min(Math.max((now.end - now.start) / 900 / 2, 45), 1000);
      if (time - drawn < pause) return;
      drawn = time;
      draws.current.forEach((draw) => draw());
      if (time - told > 200) {
        told = time;
        setBeatAxis(now);
      }
    };
    frame = requestAnimationFrame(beat);
    return () => cancelAnimationFrame(frame);
  }, [live, view]);

  const axis = live ? beatAxis : view();
  const heights = laneHeights(
    lanes.map((lane) => lane.channels.length),
    room,
  );
  const span = axis.end - axis.start;
  const { step, at } = timeTicks(axis.start, axis.end, 6);
  const label = (t: number): string =>
    span > 86_400_000 ? moment(t) : step < 60_000 ? clock(t) : clock(t).slice(0, 5);
  return (
    <Stack aria-label="Trends">
      <Lanes ref={box}>
        {room > 0 &&
          lanes.map((lane, index) => (
            <Lane
              key={lane.unit}
              lane={lane}
              samples={samples}
              view={view}
              marks={marks}
              first={index === 0}
              theme={theme}
              register={register}
              shows={shows}
              height={heights[index] ?? 0}
            />
          ))}
      </Lanes>
      <Foot>
        <span>{left}</span>
        <Ticks>
          {at
            .filter((t) => (t - axis.start) / span > 0.03 && (t - axis.start) / span < (edge ? 0.91 : 0.97))
            .map((t) => (
              <span key={t} style={{ left: `${((t - axis.start) / span) * 100}%` }}>
                {label(t)}
              </span>
            ))}
          {edge && <span style={{ left: "auto", right: 4, transform: "none" }}>{edge}</span>}
        </Ticks>
        {controls}
      </Foot>
    </Stack>
  );
}
