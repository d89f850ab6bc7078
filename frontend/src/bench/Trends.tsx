import { useCallback, useMemo } from "react";
import type { RunStatus } from "../api/client";
import { dated } from "../look/format";
import type { Theme } from "../look/theme";
import { elsewhere, zoneName } from "../look/zone";
import { connection, useLive } from "../live/connection";
import { Exact } from "../live/exact";
import { benchReadings } from "../live/readings";
import { Chip } from "../parts/Button";
import type { Cursor } from "./cursor";
import { LaneHead } from "./LaneHead";
import type { Bare, LaneChannel, LaneMark, LaneSpec } from "./lanes";
import { LaneStack } from "./LaneStack";
import { changed, clocksOf, drawn, type Layout } from "./layout";
import { TimeControls } from "./TimeControls";
import type { PastShown, TimeView } from "./useTimeView";

/** The bench's exact samples, for cursors. */
const exact = new Exact(() => connection.now());

const NO_MARKS: RunStatus["marks"] = [];

export interface TrendsProps {
  channels: Bare[];
  lanes: LaneSpec[];
  layout: Layout;
  onLayout: (layout: Layout) => void;
  time: TimeView;
  before: PastShown | undefined;
  cursor: Cursor;
  theme: Theme;
  limitsMovable: boolean;
  onLimit: (channel: LaneChannel, which: "low" | "high", value: number) => void;
  onChannel: (id: string) => void;
}

/** The lanes over the stretch of time that is shown. */
export function Trends(props: TrendsProps) {
  const { channels, lanes, layout, onLayout, time, before, cursor, theme, onChannel } = props;
  const { view, stretch } = time;
  const follows = stretch === null;
  const told = useLive(({ status }) => status?.run?.marks ?? NO_MARKS);
  const marks = useMemo(
    () => told.map((mark): LaneMark => ({ at: mark.at / 1000, text: mark.text })),
    [told],
  );
  const clocks = useMemo(() => clocksOf(channels, layout), [channels, layout]);
  const samples = useMemo(() => connection.samples.byDevice(clocks), [clocks]);
  const past = useMemo(
    () => before && { ...before, samples: before.samples.byDevice(clocks) },
    [before, clocks],
  );
  const readings = useMemo(() => benchReadings(samples, exact, follows), [samples, follows]);
  const head = useCallback(
    (lane: LaneSpec, place: number) => (
      <LaneHead lane={lane} place={place} layout={layout} onLayout={onLayout} />
    ),
    [layout, onLayout],
  );
  const onScale = useCallback(
    (place: number, scale: [number, number] | null) => onLayout(changed(layout, place, { scale })),
    [layout, onLayout],
  );
  const onDrawn = useCallback(
    (place: number, id: string, on: boolean) => onLayout(drawn(layout, place, id, on)),
    [layout, onLayout],
  );
  const chosen = useCallback((one: LaneChannel) => onChannel(one.id), [onChannel]);
  return (
    <LaneStack
      lanes={lanes}
      samples={samples}
      past={past}
      view={view}
      live={follows}
      marks={marks}
      theme={theme}
      readings={readings}
      cursor={cursor}
      head={head}
      onZoom={time.show}
      onScale={onScale}
      onDrawn={onDrawn}
      onChannel={chosen}
      onLimit={props.onLimit}
      limitsMovable={props.limitsMovable}
      left={
        <Chip $chosen={!follows} aria-pressed={!follows} onPress={time.freeze} style={{ marginLeft: 6 }}>
          {follows ? "freeze" : "frozen"}
        </Chip>
      }
      edge={(stretch ? dated(stretch.end) : "now") + (elsewhere() ? `, ${zoneName()}` : "")}
      controls={<TimeControls time={time} />}
    />
  );
}
