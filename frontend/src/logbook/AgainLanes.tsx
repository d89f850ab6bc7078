import { useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { type Comparison, type RunDetail, samplesFrom, type Schemas } from "../api/client";
import { Cursor } from "../bench/cursor";
import type { LaneChannel, LaneSpec } from "../bench/lanes";
import { LaneStack } from "../bench/LaneStack";
import type { Theme } from "../look/theme";
import { connection } from "../live/connection";
import { Exact } from "../live/exact";
import { exactly, type Readings, valueAt } from "../live/readings";
import { Samples } from "../live/samples";
import { Trouble } from "../parts/Window";
import { useRunView } from "./useRunView";
import { ZoomControls } from "./ZoomControls";

type AgainTrend = Schemas["AgainTrend"];

const POINTS = 1500;
/** Numbers of what is read again begin here: those of two curves are never one. */
const APART = 4096;
const LANES = 8;

export interface AgainLanesProps {
  run: RunDetail;
  trends: readonly AgainTrend[];
  channels: readonly Comparison[];
  theme: Theme;
}

/** What a corrected set-up makes of the whole run, over what was logged, before it is kept. */
export function AgainLanes({ run, trends, channels, theme }: AgainLanesProps) {
  const drawn = trends.slice(0, LANES);
  const shown = useRunView(run.begun_at / 1000, (run.ended_at ?? run.begun_at) / 1000);
  const [cursor] = useState(() => new Cursor());
  const [exact] = useState(() => new Exact(() => connection.now(), run.id));
  const before = new Map(run.numbers.map((one) => [one.id, one]));
  const numbers = drawn.flatMap(({ id }) => before.get(id)?.number ?? []);
  const logged = useQuery({
    queryKey: ["trend again", run.id, numbers],
    queryFn: ({ signal }) =>
      samplesFrom(
        `/api/runs/${run.id}/trend?points=${POINTS}${numbers.map((one) => `&channels=${one}`).join("")}`,
        signal,
      ),
    enabled: numbers.length > 0,
    structuralSharing: false,
    retry: false,
  });
  const samples = useMemo(() => {
    const all = Samples.whole();
    if (logged.data) all.add(logged.data);
    trends.forEach((one, place) => {
      const series = all.of(APART + place);
      one.times.forEach((time, n) => {
        const value = one.values[n];
        series.push(time / 1000, value ?? NaN, value == null ? 2 : 0);
      });
    });
    return all;
  }, [logged.data, trends]);
  const lanes = drawn.map((one, place): LaneSpec => {
    const old = before.get(one.id);
    const of = (number: number, id: string, name: string, ink: number): LaneChannel => ({
      number,
      id,
      name,
      unit: one.unit,
      decimals: one.decimals,
      interval_s: one.interval_s,
      low: null,
      high: null,
      ink,
      dash: 0,
    });
    return {
      key: one.id,
      unit: one.unit,
      weight: 1,
      scale: null,
      log: false,
      undrawn: [],
      band: false,
      channels: [
        ...(old && old.unit === one.unit ? [of(old.number, old.id, `${old.name} logged`, 0)] : []),
        of(APART + place, `again/${one.id}`, `${one.name} read again`, 1),
      ],
    };
  });
  const means = new Map(channels.map((one) => [one.id, one]));
  const readings: Readings = {
    of: (channel, _, at, moving = false) => {
      const again = channel.number >= APART;
      const id = again ? channel.id.slice("again/".length) : channel.id;
      if (at !== null) {
        if (!again) return exactly({ ...channel, id }, exact, at, moving);
        // Of a picture that leaves samples out nothing is read as if it were one.
        return trends[channel.number - APART]?.whole
          ? valueAt(channel, samples.of(channel.number), at)
          : { value: NaN, quality: 0, stale: false, none: true };
      }
      const side = means.get(id);
      const mean = (again ? side?.again : side?.logged)?.mean;
      return mean == null
        ? { value: NaN, quality: 0, stale: false, none: true }
        : { value: mean, quality: 0, stale: false };
    },
    judged: () => false,
    subscribe: exact.subscribe,
  };
  if (!drawn.length) return null;
  if (logged.isError) return <Trouble>{logged.error.message}</Trouble>;
  if (numbers.length > 0 && !logged.data) return <p role="status">Drawing both …</p>;
  return (
    <div style={{ height: Math.max(220, drawn.length * 130 + 40), display: "grid", width: "100%" }}>
      <LaneStack
        lanes={lanes}
        samples={samples}
        view={shown.view}
        live={false}
        marks={[]}
        theme={theme}
        readings={readings}
        cursor={cursor}
        onZoom={shown.show}
        edge=""
        controls={<ZoomControls shown={shown} whole="means of the run" cursor={cursor} />}
      />
    </div>
  );
}
