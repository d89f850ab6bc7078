/** The one place where values come from: at the pen's end, at a cursor, and means. */

import { patienceOf } from "../bench/lanes";
import type { Exact } from "./exact";
import type { Samples, Series } from "./samples";

export interface Shown {
  value: number;
  quality: number;
  stale: boolean;
  /** It is being fetched. */
  coming?: boolean;
  /** A mean of states, which there is none of. */
  none?: boolean;
}

interface Asked {
  number: number;
  id: string;
  interval_s: number;
  states?: string[] | undefined;
}

/** Nothing is known. */
export const MISSING: Shown = { value: NaN, quality: 0, stale: true };

/** Whether a number may be shown. */
export const isGood = (shown: Shown): boolean =>
  !shown.stale && shown.quality <= 1 && Number.isFinite(shown.value);

/** A channel's newest sample of a series up to a time; stale where it is older than the channel's patience. */
export function valueAt(channel: { interval_s: number }, series: Series, at: number): Shown {
  const index = series.indexAt(at + 1e-6) - 1;
  if (index < 0) return MISSING;
  return {
    value: series.values[index] ?? NaN,
    quality: series.qualities[index] ?? 0,
    stale: at - (series.times[index] ?? 0) > patienceOf(channel),
  };
}

export interface Readings {
  /** At `at` (milliseconds), or where nothing is pointed at. `moving`: it follows the pointer. */
  of: (channel: Asked, end: number, at: number | null, moving?: boolean) => Shown;
  /** Whether limits are judged by the recorder right now: they are not those of an old value. */
  judged: (at: number | null) => boolean;
  subscribe: (listener: () => void) => () => void;
}

/** Live, the pen's end is what came last; at a cursor, and where a view stands still, what was measured then. */
export function benchReadings(samples: Samples, exact: Exact, live: boolean): Readings {
  return {
    of: (channel, end, at, moving = false) =>
      (at === null && live) || samples.moved(channel.number)
        ? valueAt(channel, samples.of(channel.number), at ?? end)
        : exactly(channel, exact, at ?? end, moving),
    judged: (at) => live && at === null,
    subscribe: exact.subscribe,
  };
}

/** Of a run: the mean of all of it, or what was measured at the cursor. */
export function runReadings(
  samples: Samples,
  exact: Exact,
  means: ReadonlyMap<number, number | null>,
): Readings {
  return {
    of: (channel, _, at, moving = false) => {
      if (at !== null)
        return samples.moved(channel.number)
          ? valueAt(channel, samples.of(channel.number), at)
          : exactly(channel, exact, at, moving);
      // A state has no mean: that of “shut” and “open” would be taken for one of them.
      const mean = channel.states?.length ? null : means.get(channel.number);
      return mean == null
        ? { value: NaN, quality: 0, stale: false, none: true }
        : { value: mean, quality: 0, stale: false };
    },
    judged: () => false,
    subscribe: exact.subscribe,
  };
}

/** What the records have at a time: the newest sample that is not later. */
export function exactly(channel: Asked, exact: Exact, at: number, moving: boolean): Shown {
  const found = exact.at(at, moving);
  if (!found) return { ...MISSING, coming: true };
  const sample = found.get(channel.id);
  if (!sample) return MISSING;
  return {
    value: sample.value ?? NaN,
    quality: sample.quality,
    stale: at - sample.time / 1000 > patienceOf(channel),
  };
}
