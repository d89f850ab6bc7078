/** What a chart needs of a series: the lowest and highest of every pixel, and its breaks. */

import { offsetAt } from "../look/zone";
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
  // All lanes of a draw share one.
  if (last.width === width && last.first === first && last.buckets === buckets) return last;
  const x = new Array<number>(buckets * 2);
  for (let i = 0; i < buckets; i++) {
    x[2 * i] = (first + i + 0.25) * width;
    x[2 * i + 1] = (first + i + 0.75) * width;
  }
  last = { width, first, buckets, x };
  return last;
}

let last: Grid = { width: NaN, first: 0, buckets: 0, x: [] };

const NONE = 0;
const LOW_FIRST = 1;
const HIGH_FIRST = 2;
const BREAK = 3;

/**
 * A series as pixels of one width: the lowest and highest of each, in their order, and its breaks. It goes on from where it
 * was: a draw costs what is new, not what the window holds. `patience`: milliseconds without a sample after which the line
 * breaks.
 */
export class Pixels {
  private readonly size: number;
  private readonly lows: Float64Array;
  private readonly highs: Float64Array;
  private readonly states: Uint8Array;
  private oldest = 0;
  private newest = -1;
  private next = 0;
  private bucket = NaN;
  private previous = NaN;
  private gapFrom = NaN;
  private begun = false;

  constructor(
    readonly width: number,
    readonly patience: number,
    buckets: number,
  ) {
    this.size = 2 ** Math.ceil(Math.log2(buckets + 4));
    this.lows = new Float64Array(this.size);
    this.highs = new Float64Array(this.size);
    this.states = new Uint8Array(this.size);
  }

  /** Whether it can go on to show this grid. */
  fits(view: Grid, patience: number): boolean {
    const fine = view.width === this.width && patience === this.patience && view.buckets + 4 <= this.size;
    return fine && (!this.begun || view.first >= this.oldest);
  }

  /** Take in what has come to a series before the end of a grid; `past` stands before it, up to its first sample. */
  follow(series: Series, view: Grid, past?: Series): void {
    const end = (view.first + view.buckets) * this.width;
    if (!this.begun) {
      this.begun = true;
      this.oldest = view.first;
      this.newest = view.first - 1;
      const start = view.first * this.width;
      if (past?.length) {
        const until = series.length ? (series.times[0] ?? 0) : Infinity;
        for (let i = Math.max(0, past.indexAt(start) - 1); i < past.length; i++) {
          const time = past.times[i] ?? 0;
          if (time >= until || time >= end) break;
          this.take(time, past.values[i] ?? NaN, past.qualities[i] ?? 0);
        }
      }
      this.next = series.dropped + Math.max(0, series.indexAt(start) - 1);
    }
    let index = Math.max(0, this.next - series.dropped);
    for (; index < series.length; index++) {
      const time = series.times[index] ?? 0;
      if (time >= end) break;
      this.take(time, series.values[index] ?? NaN, series.qualities[index] ?? 0);
    }
    this.next = series.dropped + index;
  }

  private take(time: number, value: number, quality: number): void {
    const at = Math.max(Math.floor(time / this.width), this.oldest);
    const broken = quality > 1 || Number.isNaN(value);
    this.reach(at);
    if ((time - this.previous > this.patience || broken) && Number.isNaN(this.gapFrom)) {
      this.gapFrom = Number.isNaN(this.bucket) ? (broken ? at : NaN) : this.bucket + 1;
      this.bucket = NaN;
    }
    this.previous = time;
    if (broken) return;
    if (!Number.isNaN(this.gapFrom)) {
      // The chart lifts its pen only where every place of the gap says so.
      const from = Math.max(this.gapFrom, this.newest - this.size + 1);
      for (let i = from; i < at; i++) this.states[i & (this.size - 1)] = BREAK;
      this.gapFrom = NaN;
    }
    const place = at & (this.size - 1);
    const state = this.states[place];
    if (state !== LOW_FIRST && state !== HIGH_FIRST) {
      this.states[place] = LOW_FIRST;
      this.lows[place] = this.highs[place] = value;
    } else if (value < (this.lows[place] ?? 0)) {
      this.lows[place] = value;
      this.states[place] = HIGH_FIRST;
    } else if (value > (this.highs[place] ?? 0)) {
      this.highs[place] = value;
      this.states[place] = LOW_FIRST;
    }
    this.bucket = at;
  }

  /** Make room up to a bucket; what is more than a window behind is forgotten. */
  private reach(at: number): void {
    if (at <= this.newest) return;
    const from = Math.max(this.newest + 1, at - this.size + 1);
    for (let i = from; i <= at; i++) this.states[i & (this.size - 1)] = NONE;
    this.newest = at;
    this.oldest = Math.max(this.oldest, at - this.size + 1);
  }

  /** Write a grid's places: number = a point, undefined = nothing here (the line goes on), null = a break. */
  write(out: Column, view: Grid): void {
    const mask = this.size - 1;
    for (let i = 0; i < view.buckets; i++) {
      const bucket = view.first + i;
      const place = bucket & mask;
      const state = bucket < this.oldest || bucket > this.newest ? NONE : this.states[place];
      if (state === NONE) out[2 * i] = out[2 * i + 1] = undefined;
      else if (state === BREAK) out[2 * i] = out[2 * i + 1] = null;
      else {
        out[2 * i] = state === LOW_FIRST ? this.lows[place] : this.highs[place];
        out[2 * i + 1] = state === LOW_FIRST ? this.highs[place] : this.lows[place];
      }
    }
  }

  /** Lowest and highest within a grid; [NaN, NaN] for nothing. */
  extremes(view: Grid): [number, number] {
    const mask = this.size - 1;
    let low = Infinity;
    let high = -Infinity;
    const last = Math.min(view.first + view.buckets - 1, this.newest);
    for (let bucket = Math.max(view.first, this.oldest); bucket <= last; bucket++) {
      const place = bucket & mask;
      const state = this.states[place];
      if (state !== LOW_FIRST && state !== HIGH_FIRST) continue;
      low = Math.min(low, this.lows[place] ?? Infinity);
      high = Math.max(high, this.highs[place] ?? -Infinity);
    }
    return low <= high ? [low, high] : [NaN, NaN];
  }
}

/** A column for the chart, from nothing. */
export function column(series: Series, view: Grid, patience: number): Column {
  const pixels = new Pixels(view.width, patience, view.buckets);
  pixels.follow(series, view);
  const out: Column = new Array<number | null | undefined>(view.buckets * 2);
  pixels.write(out, view);
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
  // A zero that wavers by a hair needs no lane below nought.
  const hair = low < 0 && low > -span * 0.02 ? -low : 0;
  if (old && low + hair >= old[0] && high <= old[1] && span > (old[1] - old[0]) * 0.25) return old;
  const air = span * 0.35 + (span - (high - low)) / 2;
  const step = roundStep((high - low + 2 * air) / 4);
  let bottom = Math.floor((low - air) / step) * step;
  if (low + hair >= 0 && bottom < 0) bottom = 0;
  let top = Math.ceil((high + air) / step) * step;
  if (top <= bottom) top = bottom + step;
  return [clean(bottom, step), clean(top, step)];
}

/** A logarithmic scale: whole decades around what is above nothing. */
export function logScale(low: number, high: number, old: [number, number] | null): [number, number] {
  if (!(high > 0)) return old && old[0] > 0 ? old : [0.1, 10];
  const bottom = 10 ** Math.floor(Math.log10(low > 0 ? low : high / 1000));
  const top = 10 ** Math.ceil(Math.log10(high * 1.0001));
  const next: [number, number] = [bottom, top > bottom ? top : bottom * 10];
  return old && old[0] === next[0] && old[1] === next[1] ? old : next;
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
  // Summer time comes or goes within a long axis: ticks stand at round local times on both sides of it.
  const marks = 24;
  const offsets = new Set(
    Array.from({ length: marks + 1 }, (_, n) => offsetAt(start + ((end - start) * n) / marks)),
  );
  const at = new Set<number>();
  for (const offset of offsets)
    for (let t = Math.ceil((start + offset) / step) * step - offset; t <= end; t += step)
      if (offsetAt(t) === offset) at.add(t);
  return { step, at: [...at].sort((one, other) => one - other) };
}
