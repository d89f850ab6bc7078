import { useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { type RunDetail, samplesFrom } from "../api/client";
import { Cursor } from "../bench/cursor";
import { LaneStack } from "../bench/LaneStack";
import { arranged, clocksOf, PLAIN, timed } from "../bench/layout";
import { dated } from "../look/format";
import type { Theme } from "../look/theme";
import { offsetName } from "../look/zone";
import { connection } from "../live/connection";
import { Exact } from "../live/exact";
import { runReadings } from "../live/readings";
import { Samples } from "../live/samples";
import { Chip } from "../parts/Button";
import { useKeys } from "../parts/useKeys";
import { Trouble } from "../parts/Window";
import { happeningsOf } from "./happeningsOf";
import { type Asked, overlaysOf } from "./questions";
import { RunNumbers } from "./RunNumbers";
import { RunQuestions } from "./RunQuestions";
import { useRunView } from "./useRunView";
import { useSelection } from "./useSelection";
import { ZoomControls } from "./ZoomControls";

const POINTS = 1500;

/** A run in its lanes, over any stretch of it, and what can be asked of that. */
export function RunTrend({ run, theme }: { run: RunDetail; theme: Theme }) {
  const begun = run.begun_at / 1000;
  const [newest, setNewest] = useState(0);
  const end = run.ended_at ? run.ended_at / 1000 : Math.max(newest, begun + 1000);
  const shown = useRunView(begun, end);
  const { view, zoomed } = shown;
  const { start, end: until } = view();
  const stretch = zoomed ? { start, end: until } : null;
  const [cursor] = useState(() => new Cursor());
  const [asked, setAsked] = useState<Asked[]>([]);
  const [own, setOwn] = useState(false);
  const trend = useQuery({
    queryKey: ["trend", run.id, run.samples, stretch],
    queryFn: async ({ signal }) => {
      const samples = Samples.whole();
      const part = stretch
        ? `&start=${Math.floor(stretch.start * 1000)}&end=${Math.ceil(stretch.end * 1000)}`
        : "";
      samples.add(await samplesFrom(`/api/runs/${run.id}/trend?points=${POINTS}${part}`, signal));
      if (!stretch)
        setNewest(Math.max(0, ...[...samples.series.values()].map((one) => one.last()?.time ?? 0)));
      return samples;
    },
    placeholderData: (old) => old,
    structuralSharing: false,
  });
  useKeys({
    Escape: () => {
      if (cursor.at !== null) cursor.clear();
      else shown.all();
    },
  });
  const lanes = useMemo(() => arranged(run.numbers, PLAIN), [run.numbers]);
  const instruments = useMemo(
    () => run.numbers.flatMap((one) => (one.timed_by ? [one.instrument] : [])),
    [run.numbers],
  );
  const samples = useMemo(
    () => trend.data?.byDevice(clocksOf(run.numbers, timed(PLAIN, own ? instruments : [], true))) ?? null,
    [trend.data, run.numbers, instruments, own],
  );
  const selection = useSelection(run, cursor, { start, end: until }, zoomed);
  const { settled, statistics } = selection;
  // What is not worked out yet is not shown as if it were.
  const means = JSON.stringify(
    run.numbers.map((one) => [one.number, (settled && statistics.get(one.number)?.mean) ?? null]),
  );
  const [exact] = useState(() => new Exact(() => connection.now(), run.id));
  const readings = useMemo(
    () => samples && runReadings(samples, exact, new Map(JSON.parse(means) as [number, number | null][])),
    [samples, exact, means],
  );
  const marks = useMemo(
    () => run.marks.map((mark) => ({ at: mark.at / 1000, text: mark.text })),
    [run.marks],
  );
  const happenings = useMemo(() => happeningsOf(run), [run]);
  const overlays = useMemo(() => overlaysOf(asked), [asked]);
  return (
    <>
      {trend.isError && <Trouble>{trend.error.message}</Trouble>}
      {!trend.isError && !samples && <p role="status">Drawing the run …</p>}
      {samples && readings && (
        <div style={{ height: Math.max(300, lanes.length * 118 + 40), display: "grid" }}>
          <LaneStack
            lanes={lanes}
            samples={samples}
            view={view}
            live={false}
            marks={marks}
            overlays={overlays}
            happenings={happenings}
            theme={theme}
            readings={readings}
            cursor={cursor}
            onZoom={shown.show}
            edge={zoomed ? dated(until) : offsetName(end)}
            controls={<ZoomControls shown={shown} whole="mean of the run" cursor={cursor} />}
            left={
              instruments.length > 0 && (
                <Chip $chosen={own} aria-pressed={own} onPress={() => setOwn(!own)} style={{ marginLeft: 6 }}>
                  own time
                </Chip>
              )
            }
          />
        </div>
      )}
      <RunNumbers run={run} selection={selection} />
      <RunQuestions
        run={run}
        selection={selection}
        cursor={cursor}
        asked={asked}
        onAsked={setAsked}
        onShow={(at) => {
          cursor.clear();
          cursor.press(at);
        }}
      />
    </>
  );
}
