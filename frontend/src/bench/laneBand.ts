/** A lane of many as a band: the lowest, the middle and the highest of them at each pixel, and which of them stand out. */

import type uPlot from "uplot";
import type { Column } from "../live/pixels";
import type { Theme } from "../look/theme";

/** Of each pixel; NaN where none of them was measured. */
export interface Band {
  low: Float64Array;
  middle: Float64Array;
  high: Float64Array;
}

/** Robust standard deviations from the others from which on a channel stands out. */
const APART = 5;
/** Of a normal distribution: the standard deviation in median absolute deviations. */
const SIGMA = 1.4826;
/** No more of them are drawn over the band. */
const SHOWN = 3;

/** The middle one of some numbers, which it puts in order; NaN for none. */
function median(values: number[]): number {
  if (!values.length) return NaN;
  values.sort((one, other) => one - other);
  const half = values.length >> 1;
  return values.length % 2 ? (values[half] ?? NaN) : ((values[half - 1] ?? NaN) + (values[half] ?? NaN)) / 2;
}

/**
 * The band of some columns, each with two places a pixel (number, undefined for nothing new, null for a break): lowest and
 * highest are exact, the middle is the median of what each channel has halfway between its own two. Where a channel has
 * nothing new, its last value stands until it breaks.
 */
export function bandOf(columns: Column[], buckets: number): Band {
  const band: Band = {
    low: new Float64Array(buckets).fill(NaN),
    middle: new Float64Array(buckets).fill(NaN),
    high: new Float64Array(buckets).fill(NaN),
  };
  const last = columns.map(() => NaN);
  const middles: number[] = [];
  for (let i = 0; i < buckets; i++) {
    let low = Infinity;
    let high = -Infinity;
    middles.length = 0;
    for (let n = 0; n < columns.length; n++) {
      const [one, other] = [columns[n]?.[2 * i], columns[n]?.[2 * i + 1]];
      if (one === null || other === null) last[n] = NaN;
      const held = last[n] ?? NaN;
      const [from, to] = [one ?? held, other ?? one ?? held];
      if (Number.isNaN(from)) continue;
      last[n] = to;
      low = Math.min(low, from, to);
      high = Math.max(high, from, to);
      middles.push((from + to) / 2);
    }
    if (!middles.length) continue;
    band.low[i] = low;
    band.high[i] = high;
    band.middle[i] = median(middles);
  }
  return band;
}

/** Which columns stand out: by their means, far from the median of all. `digit`: differences below it are none. */
export function oddOnes(columns: Column[], digit: number): Set<number> {
  const means = columns.map((column) => {
    let sum = 0;
    let count = 0;
    for (const value of column)
      if (typeof value === "number") {
        sum += value;
        count++;
      }
    return count ? sum / count : NaN;
  });
  const known = means.filter((mean) => !Number.isNaN(mean));
  if (known.length < 4) return new Set();
  const middle = median([...known]);
  const spread = Math.max(SIGMA * median(known.map((mean) => Math.abs(mean - middle))), digit);
  const apart = means
    .map((mean, index) => ({ index, by: Math.abs(mean - middle) / spread }))
    .filter((one) => one.by > APART)
    .sort((one, other) => other.by - one.by);
  return new Set(apart.slice(0, SHOWN).map((one) => one.index));
}

export function drawBand(u: uPlot, band: Band, theme: Theme): void {
  const times = u.data[0];
  const { ctx } = u;
  const place = (value: number): number => u.valToPos(value, "y", true);
  const at = (i: number): number => u.valToPos(times[2 * i] ?? 0, "x", true);
  ctx.save();
  ctx.fillStyle = theme.action;
  ctx.strokeStyle = theme.action;
  ctx.lineWidth = 1.8 * devicePixelRatio;
  ctx.setLineDash([]);
  const { length } = band.low;
  for (let from = 0; from < length; from++) {
    if (Number.isNaN(band.low[from])) continue;
    let to = from;
    while (to + 1 < length && !Number.isNaN(band.low[to + 1])) to++;
    ctx.beginPath();
    for (let i = from; i <= to; i++) ctx.lineTo(at(i), place(band.high[i] ?? 0));
    for (let i = to; i >= from; i--) ctx.lineTo(at(i), place(band.low[i] ?? 0));
    ctx.closePath();
    ctx.globalAlpha = 0.18;
    ctx.fill();
    ctx.globalAlpha = 1;
    ctx.beginPath();
    for (let i = from; i <= to; i++) ctx.lineTo(at(i), place(band.middle[i] ?? 0));
    ctx.stroke();
    from = to;
  }
  ctx.restore();
}
