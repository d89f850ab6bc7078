/** Lanes and the channels in them, and where a value stands to its limits. */

import type { Schemas } from "../api/client";

export type Limits = Schemas["LimitsStatus"];

/** A stretch of time, in milliseconds. */
export interface LaneView {
  start: number;
  end: number;
}

/** A mark of a run, in milliseconds. */
export interface LaneMark {
  at: number;
  text: string;
}

/** Drawn over a channel's curve: a line, or dots; times in milliseconds. */
export interface LaneOverlay {
  channel: string;
  times: number[];
  values: number[];
  dots: boolean;
}

export interface LaneChannel {
  number: number;
  id: string;
  name: string;
  unit: string;
  decimals: number;
  interval_s: number;
  instrument?: string;
  low: number | null;
  high: number | null;
  limits?: Limits | undefined;
  /** Its limits in words, where another channel's are drawn in its lane. */
  limitsTold?: string | undefined;
  clock?: boolean | undefined;
  timed_by?: number | undefined;
  states?: string[] | undefined;
  usual?: number[] | undefined;
  ink: number;
  dash: number;
}

export interface LaneSpec {
  key: string;
  unit: string;
  channels: LaneChannel[];
  weight: number;
  /** Fixed, or null for automatic. */
  scale: [number, number] | null;
  log: boolean;
  /** Channels that have a readout and no curve, by id. */
  undrawn: string[];
  /** Whether the lowest, middle and highest of all are drawn, and curves only of those that stand out. */
  band: boolean;
}

export type Bare = Omit<LaneChannel, "ink" | "dash">;

/** Whether a channel's values are words. */
export const isState = (channel: Bare): boolean => (channel.states?.length ?? 0) > 0;

/** Whether a lane is drawn as bands of words: nothing but states stands in it. */
export const isStates = (lane: LaneSpec): boolean => lane.channels.every(isState);

/** Milliseconds without a sample after which a channel's line breaks. */
export const patienceOf = (channel: { interval_s: number }): number =>
  Math.max(channel.interval_s * 3, 1.5) * 1000;

/** The states of limits that call for a person. */
export const serious = (state: string): boolean => ["low", "high", "stuck", "alarm"].includes(state);

export type Position = "below" | "above" | "within" | "none";

/** Where a value stands to its limits. */
export function within(value: number, channel: { low: number | null; high: number | null }): Position {
  if (channel.low === null && channel.high === null) return "none";
  if (channel.low !== null && value < channel.low) return "below";
  if (channel.high !== null && value > channel.high) return "above";
  return "within";
}

/** The limits in words: 60 to 165, above 4, below 2.8. */
export function limitWords(channel: {
  low: number | null;
  high: number | null;
  states?: string[] | undefined;
  limitsTold?: string | undefined;
}): string {
  if (channel.limitsTold !== undefined) return channel.limitsTold;
  if (channel.low !== null && channel.high !== null) return `${channel.low} to ${channel.high}`;
  if (channel.low !== null) return `above ${channel.low}`;
  if (channel.high !== null) return `below ${channel.high}`;
  return channel.states?.length ? "" : "no limits";
}

/** Where a state stands: its own word is in the readout already. */
function stateStanding(
  channel: LaneChannel,
  value: number,
  judged: string,
): { words: string; level: boolean | "caution" } {
  const word = channel.states?.[value] ?? "";
  const { alarm = [], caution = [] } = channel.limits ?? {};
  if (judged === "alarm" || alarm.includes(word)) return { words: "alarm", level: true };
  if (judged === "caution" || caution.includes(word)) return { words: "caution", level: "caution" };
  return { words: "", level: false };
}

/** Where a value stands, in words, and how loudly: as the recorder judges it now, or plainly at a cursor. */
export function standing(
  channel: LaneChannel,
  value: number,
  plainly: boolean,
): { words: string; level: boolean | "caution" } {
  const state = plainly ? "" : (channel.limits?.state ?? "");
  if (state === "stuck") return { words: "stuck", level: true };
  if (state === "starting") return { words: "warming up", level: false };
  if (channel.states?.length) return stateStanding(channel, value, state);
  const where = within(value, channel);
  const out = where === "below" || where === "above";
  if (state === "low" || (out && where === "below")) return { words: `below ${channel.low}`, level: true };
  if (state === "high" || (out && where === "above")) return { words: `above ${channel.high}`, level: true };
  if (state === "low caution") return { words: `below ${channel.limits?.low_caution}`, level: "caution" };
  if (state === "high caution") return { words: `above ${channel.limits?.high_caution}`, level: "caution" };
  return { words: limitWords(channel), level: false };
}

const LOWEST = 52;
/** The same where many lanes stand close: name and digits on one line. */
const LOWEST_CLOSE = 36;
export const READOUT_CLOSE = 30;
/** Pixels that a readout needs; a lane that has fewer for each of its channels has a line for each. */
export const READOUT = 40;
/** Channels of a lane from which on it does not grow for them: they have a line each, and more of them are scrolled. */
export const MANY = 4;
const LINE = 24;

/** How high the lanes are in a given room: by their weights, but never too low for their readouts; then they scroll. */
export function laneHeights(
  channels: number[],
  room: number,
  weights: number[] = [],
  mayStandClose = true,
): number[] {
  const needed = (lowest: number, readout: number): number[] =>
    channels.map((count) =>
      Math.max(lowest, count < MANY ? 6 + readout * count : 8 + LINE * Math.min(count, 6)),
    );
  const roomy = needed(LOWEST, READOUT);
  // They stand close before they scroll.
  const fits = roomy.reduce((sum, height) => sum + height, 0) <= room;
  const least = fits || !mayStandClose ? roomy : needed(LOWEST_CLOSE, READOUT_CLOSE);
  const weight = (index: number): number => weights[index] ?? 1;
  let left = room;
  let shares = channels.reduce((sum, _, index) => sum + weight(index), 0);
  const tall = new Set<number>();
  // Lanes that need more than an equal share take it; the others share what is left.
  for (;;) {
    const share = left / Math.max(shares, 0.01);
    const more = least.findIndex((height, index) => !tall.has(index) && height > share * weight(index));
    if (more < 0)
      return least.map((height, index) => (tall.has(index) ? height : Math.floor(share * weight(index))));
    tall.add(more);
    left -= least[more] ?? 0;
    shares -= weight(more);
  }
}

/** Pixels of air between a scale's end and the lane's edge. */
export const INSET = 5;

/** Where a value stands in a lane, in pixels from its top. */
export function placeOf(value: number, [low, high]: [number, number], height: number, log: boolean): number {
  const share = log
    ? Math.log(Math.max(value, 1e-300) / low) / Math.log(high / low)
    : (value - low) / (high - low);
  return height - INSET - share * (height - 2 * INSET);
}

/** The value at a place, the other way round. */
export function valueAt(y: number, [low, high]: [number, number], height: number, log: boolean): number {
  const share = (height - INSET - y) / (height - 2 * INSET);
  return log ? low * (high / low) ** share : low + share * (high - low);
}
