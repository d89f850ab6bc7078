/** Statistics of a stretch of a series, and whether its value is rising, falling or settled. */

import type { Series } from "./samples";

export interface Stats {
  count: number;
  mean: number;
  min: number;
  max: number;
  sd: number;
  /** Per hour, by least squares. */
  slope: number;
}

/** Of the measured samples from start to end; NaN where too few were. */
export function statsOf(series: Series, start: number, end: number): Stats {
  let count = 0;
  let min = Infinity;
  let max = -Infinity;
  let mean = 0;
  let spread = 0;
  let time = 0;
  let times = 0;
  let both = 0;
  for (let i = series.indexAt(start); i < series.length; i++) {
    const at = series.times[i] ?? 0;
    if (at > end) break;
    if ((series.qualities[i] ?? 0) > 1) continue;
    const value = series.values[i] ?? NaN;
    // Welford's way: no digits are lost where the mean is large beside the spread.
    count++;
    const t = (at - start) / 3_600_000;
    const fromMean = value - mean;
    const fromTime = t - time;
    mean += fromMean / count;
    time += fromTime / count;
    spread += fromMean * (value - mean);
    times += fromTime * (t - time);
    both += fromTime * (value - mean);
    if (value < min) min = value;
    if (value > max) max = value;
  }
  if (!count) return { count, mean: NaN, min: NaN, max: NaN, sd: NaN, slope: NaN };
  const sd = count > 1 ? Math.sqrt(spread / (count - 1)) : NaN;
  return { count, mean, min, max, sd, slope: times > 0 ? both / times : NaN };
}

export type Trend = "rising" | "falling" | "settled" | "";

/**
 * Where a value goes: rising or falling where a line through it changes by more than half of its band over the last `span`
 * milliseconds; "" where it does neither, or too little is known. What it was `before` stands a little longer, so that it does not
 * flicker. Whether it has settled the recorder says.
 */
export function trendOf(series: Series, now: number, span: number, band: number, before: Trend = ""): Trend {
  const first = series.indexAt(now - span);
  const known = first > 0 || (series.length > 0 && (series.times[0] ?? Infinity) <= now - span * 0.9);
  const { count, slope } = statsOf(series, now - span, now);
  if (!known || count < 3) return "";
  const change = (slope * span) / 3_600_000;
  const way = change > 0 ? "rising" : "falling";
  return Math.abs(change) > (band / 2) * (before === way ? 0.7 : 1) ? way : "";
}
