/** Which channels share a lane: those that share a unit, in the order they come. */

export interface LaneChannel {
  number: number;
  name: string;
  unit: string;
  decimals: number;
  interval_s: number;
  low: number | null;
  high: number | null;
  ink: number;
  dash: number;
}

export interface LaneSpec {
  unit: string;
  channels: LaneChannel[];
}

type Bare = Omit<LaneChannel, "ink" | "dash">;

export function lanesOf(channels: Bare[]): LaneSpec[] {
  const lanes = new Map<string, LaneSpec>();
  channels.forEach((channel, index) => {
    const lane = lanes.get(channel.unit) ?? { unit: channel.unit, channels: [] };
    lane.channels.push({ ...channel, ink: index % 8, dash: lane.channels.length % 4 });
    lanes.set(channel.unit, lane);
  });
  return [...lanes.values()];
}

/** Milliseconds without a sample after which a channel's line breaks. */
export const patienceOf = (channel: { interval_s: number }): number =>
  Math.max(channel.interval_s * 3, 1.5) * 1000;

export type Position = "below" | "above" | "within" | "none";

/** Where a value stands to its limits. */
export function within(value: number, channel: { low: number | null; high: number | null }): Position {
  if (channel.low === null && channel.high === null) return "none";
  if (channel.low !== null && value < channel.low) return "below";
  if (channel.high !== null && value > channel.high) return "above";
  return "within";
}

/** The limits in words: 60 to 165, above 4, below 2.8. */
export function limitWords(channel: { low: number | null; high: number | null }): string {
  if (channel.low !== null && channel.high !== null) return `${channel.low} to ${channel.high}`;
  if (channel.low !== null) return `above ${channel.low}`;
  return channel.high !== null ? `below ${channel.high}` : "no limits";
}

const LEAST = 96;
const READOUT = 42;

/** How high the lanes are in a given room: equal, but never too low for their readouts; then they scroll. */
export function laneHeights(channels: number[], room: number): number[] {
  const least = channels.map((count) => Math.max(LEAST, 12 + READOUT * count));
  let left = room;
  let shares = channels.length;
  const tall = new Set<number>();
  // Lanes that need more than an equal share take it; the others share what is left.
  for (;;) {
    const share = Math.floor(left / Math.max(shares, 1));
    const more = least.findIndex((height, index) => !tall.has(index) && height > share);
    if (more < 0) return least.map((height, index) => (tall.has(index) ? height : share));
    tall.add(more);
    left -= least[more] ?? 0;
    shares--;
  }
}
