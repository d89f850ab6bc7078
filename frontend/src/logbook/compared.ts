/** Runs over each other: their channels, their samples moved to the first one's time, and what they read. */

import type { RunDetail } from "../api/client";
import { type LaneChannel, type LaneSpec, limitWords } from "../bench/lanes";
import type { Exact } from "../live/exact";
import { exactly, type Readings } from "../live/readings";
import { Samples } from "../live/samples";

export interface Member {
  run: RunDetail;
  /** The time that stands over the others', in milliseconds. */
  at: number;
}

export type RunChannel = RunDetail["numbers"][number];

/** A channel of the first run, and the same of each other one; undefined where a run has none. */
export interface Shared {
  channel: RunChannel;
  of: (RunChannel | undefined)[];
}

/** Numbers of a run's channels begin here, that those of two runs are never one. */
const APART = 4096;

const numberOf = (place: number, channel: RunChannel): number => place * APART + channel.number;

/** The channels that the first run shares with any other: of one id, or of one name and unit. */
export function shared(runs: readonly RunDetail[]): Shared[] {
  const [first, ...others] = runs;
  if (!first) return [];
  return first.numbers
    .filter((channel) => !channel.clock && !channel.states.length)
    .map((channel) => ({
      channel,
      of: [
        channel,
        ...others.map(
          (run) =>
            run.numbers.find((one) => one.id === channel.id && one.unit === channel.unit) ??
            run.numbers.find((one) => one.name === channel.name && one.unit === channel.unit),
        ),
      ],
    }))
    .filter(({ of }) => others.length === 0 || of.slice(1).some(Boolean));
}

/** What a run is called among the others: its name, and its test item where that tells it apart. */
export const titleOf = (run: RunDetail): string => [run.name, run.item].filter(Boolean).join(", ");

/** A, B, C …: what a run is called where there is little room. */
export const letterOf = (place: number): string => String.fromCharCode(65 + place);

/** A lane for each channel, with a curve for each run. `inks`: how many the theme has. */
export function lanesOf(channels: readonly Shared[], runs: readonly RunDetail[], inks: number): LaneSpec[] {
  return channels.map(({ channel, of }) => ({
    key: channel.id,
    unit: channel.unit,
    weight: 1,
    scale: null,
    log: false,
    undrawn: [],
    band: false,
    channels: of.flatMap((one, place): LaneChannel[] => {
      const run = runs[place];
      if (!one || !run) return [];
      return [
        {
          number: numberOf(place, one),
          id: `${place}/${one.id}`,
          name: `${one.name} ${letterOf(place)}`,
          unit: one.unit,
          decimals: one.decimals,
          interval_s: one.interval_s,
          low: place === 0 ? one.low : null,
          high: place === 0 ? one.high : null,
          limitsTold: limitWords(one),
          ink: place % inks,
          dash: Math.floor(place / inks),
        },
      ];
    }),
  }));
}

/** The runs' samples, each at the first one's time. `packed`: as each came, in the members' order. */
export function laidOver(members: readonly Member[], packed: readonly ArrayBuffer[]): Samples {
  const all = Samples.whole();
  const at = members[0]?.at ?? 0;
  members.forEach((member, place) => {
    const own = Samples.whole();
    own.add(packed[place] ?? new ArrayBuffer(0));
    const later = at - member.at;
    for (const [number, series] of own.series) {
      const target = all.of(place * APART + number);
      for (let i = 0; i < series.length; i++)
        target.push((series.times[i] ?? 0) + later, series.values[i] ?? NaN, series.qualities[i] ?? 0);
    }
  });
  return all;
}

/** What each reads: at the cursor its own sample, exactly; else the mean of what is shown, by number. */
export function comparedReadings(
  members: readonly Member[],
  exacts: readonly Exact[],
  means: ReadonlyMap<number, number | null>,
): Readings {
  const first = members[0]?.at ?? 0;
  return {
    of: (channel, _, at, moving = false) => {
      const place = Math.floor(channel.number / APART);
      const [member, exact] = [members[place], exacts[place]];
      const own = channel.id.slice(channel.id.indexOf("/") + 1);
      if (at !== null && member && exact)
        return exactly({ ...channel, id: own }, exact, at + member.at - first, moving);
      const mean = means.get(channel.number);
      return mean == null
        ? { value: NaN, quality: 0, stale: false, none: true }
        : { value: mean, quality: 0, stale: false };
    },
    judged: () => false,
    subscribe: (listener) => {
      const leave = exacts.map((one) => one.subscribe(listener));
      return () => leave.forEach((one) => one());
    },
  };
}

/** Means by the numbers of lanes. */
export function meansOf(
  channels: readonly Shared[],
  statistics: readonly (ReadonlyMap<number, { mean?: number | null }> | undefined)[],
): Map<number, number | null> {
  return new Map(
    channels.flatMap(({ of }) =>
      of.flatMap((one, place) =>
        one ? [[numberOf(place, one), statistics[place]?.get(one.number)?.mean ?? null] as const] : [],
      ),
    ),
  );
}
