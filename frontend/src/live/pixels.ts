/** What a chart needs of a series: the lowest and highest of every pixel, and its breaks. */

import type { Series } from "./samples";

export type Column = (number | null | undefined)[];

export interface Grid {
  /** Milliseconds of a pixel. Buckets lie at whole multiples, so that they do not shimmer while time goes on. */
  width: number;
  first: number;
  buckets: number;
  x: number[];
}

export function grid(start: number, end: number, pixels: number): Grid {
  const width = Math.max((end - start) / Math.max(pixels, 1), 0.001);
  const first = Math.floor(start / width);
  const buckets = Math.ceil(end / width) - first + 1;
  const x = new Array<number>(buckets * 2);
  for (let i = 0; i < buckets; i++) {
    x[2 * i] = (first + i + 0.25) * width;
    x[2 * i + 1] = (first + i + 0.75) * width;
  }
  return { width, first, buckets, x };
}

/**
 * A column for the chart: number = a point, undefined = nothing here (the line goes on), null = a break.
 * `patience`: milliseconds without a sample after which the line breaks.
 */
export function column(series: Series, view: Grid, patience: number): Column {
  const out: Column = new Array<number | null | undefined>(view.buckets * 2).fill(undefined);
  const start = view.first * view.width;
  const end = (view.first + view.buckets) * view.width;
  let index = Math.max(0, series.indexAt(start) - 1);
  let previous = NaN;
  let bucket = -1;
  let low = 0;
  let high = 0;
  let lowFirst = true;
  let gapFrom = -1;
  const settle = (): void => {
    if (bucket < 0) return;
    out[2 * bucket] = lowFirst ? low : high;
    out[2 * bucket + 1] = lowFirst ? high : low;
  };
  for (; index < series.length; index++) {
    const time = series.times[index] ?? 0;
    if (time >= end) break;
    const at = Math.max(0, Math.floor(time / view.width) - view.first);
    const quality = series.qualities[index] ?? 0;
    const value = series.values[index] ?? NaN;
    const broken = quality > 1 || Number.isNaN(value);
    if ((time - previous > patience || broken) && gapFrom < 0) {
      settle();
      gapFrom = bucket < 0 ? (broken ? at : -1) : bucket + 1;
      bucket = -1;
    }
    previous = time;
    if (broken) continue;
    if (gapFrom >= 0) {
      // The chart lifts its pen only where every place of the gap says so.
      for (let i = 2 * gapFrom; i < 2 * at; i++) out[i] = null;
      gapFrom = -1;
    }
    if (at !== bucket) {
      settle();
      bucket = at;
      low = high = value;
      lowFirst = true;
    } else if (value < low) {
      low = value;
      lowFirst = false;
    } else if (value > high) {
      high = value;
      lowFirst = true;
    }
  }
  settle();
  return out;
}

/**
 * A scale that holds from low to high with some air, ending on round figures; keeps the old one while it
 * fits. `least`: a span below which noise would fill the lane.
 */
export function scaleFor(
  low: number,
  high: number,
  old: [number, number] | null,
  least = 0,
): [number, number] {
  if (!(low <= high)) return old ?? [0, 1];
  const span = Math.max(high - low, Math.abs(high) * 1e-3, least, 1e-9);
  if (old && low >= old[0] && high <= old[1] && span > (old[1] - old[0]) * 0.25) return old;
  const air = span * 0.35 + (span - (high - low)) / 2;
  const step = roundStep((high - low + 2 * air) / 4);
  let bottom = Math.floor((low - air) / step) * step;
  if (low >= 0 && bottom < 0) bottom = 0;
  let top = Math.ceil((high + air) / step) * step;
  if (top <= bottom) top = bottom + step;
  return [clean(bottom, step), clean(top, step)];
}

function clean(value: number, step: number): number {
  return Number(value.toFixed(Math.max(0, 2 - Math.floor(Math.log10(step)))));
}

/** 1, 2 or 5 times a power of ten, at least `rough`. */
export function roundStep(rough: number): number {
  const power = 10 ** Math.floor(Math.log10(rough));
  for (const m of [1, 2, 5]) if (m * power >= rough * 0.999999) return m * power;
  return 10 * power;
}

/** Lowest and highest measured value from start to end over several series; [NaN, NaN] for none. */
export function extremes(all: Series[], start: number, end: number): [number, number] {
  let low = Infinity;
  let high = -Infinity;
  for (const series of all) {
    for (let i = series.indexAt(start); i < series.length; i++) {
      if ((series.times[i] ?? 0) > end) break;
      if ((series.qualities[i] ?? 0) > 1) continue;
      const value = series.values[i] ?? NaN;
      if (value < low) low = value;
      if (value > high) high = value;
    }
  }
  return low <= high ? [low, high] : [NaN, NaN];
}

/** Where the ticks of a time axis stand, and the step between them, all in milliseconds. */
export function timeTicks(start: number, end: number, most: number): { step: number; at: number[] } {
  const steps = [
    1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600, 7200, 10800, 21600, 43200, 86400, 172800, 604800,
  ].map((s) => s * 1000);
  const step = steps.find((s) => (end - start) / s <= most) ?? 2592000000;
  const offset = new Date(start).getTimezoneOffset() * 60000;
  const at: number[] = [];
  for (let t = Math.ceil((start - offset) / step) * step + offset; t <= end; t += step) at.push(t);
  return { step, at };
}
