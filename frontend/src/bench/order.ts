/** In which order the readouts of a lane stand. */

import { MISSING, type Shown } from "../live/readings";
import type { LaneChannel, LaneSpec } from "./lanes";
import { saidOf } from "./readout";

/** Those beyond their limits or not measured first; the others as they stand in the lane. */
export function troubleFirst(
  old: number[],
  lane: LaneSpec,
  values: Map<number, Shown>,
  plainly: boolean,
): number[] {
  const calm = (channel: LaneChannel): number => {
    const { level } = saidOf(channel, values.get(channel.number) ?? MISSING, plainly);
    return level === true ? 0 : level ? 1 : 2;
  };
  const next = lane.channels
    .map((channel) => ({ number: channel.number, calm: calm(channel) }))
    .sort((one, other) => one.calm - other.calm)
    .map((one) => one.number);
  return next.some((number, index) => number !== old[index]) ? next : old;
}

/** Readouts in the order of their curves; two change places only when they are clearly apart. */
export function inOrder(old: number[], values: Map<number, Shown>, apart: number): number[] {
  const next = [...old];
  for (let i = 0; i + 1 < next.length; i++) {
    const upper = values.get(next[i] ?? 0)?.value ?? NaN;
    const lower = values.get(next[i + 1] ?? 0)?.value ?? NaN;
    if (lower - upper > apart) [next[i], next[i + 1]] = [next[i + 1] ?? 0, next[i] ?? 0];
  }
  return next.some((number, index) => number !== old[index]) ? next : old;
}
