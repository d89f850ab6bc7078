/** What happened in a run, drawn on its lanes: limits crossed, test points, what was not measured. */

import type uPlot from "uplot";
import type { Theme } from "../look/theme";
import type { Samples } from "../live/samples";
import type { LaneSpec } from "./lanes";

/** A limit crossed, in milliseconds. `channel`: its number; `value`: null where nothing was measured. */
export interface LaneCrossing {
  channel: number;
  at: number;
  value: number | null;
  /** Beyond, or lost; else it came back. */
  serious: boolean;
}

/** A stretch that was averaged, in milliseconds. */
export interface LanePoint {
  start: number;
  end: number;
  text: string;
  /** The same where there is little room. */
  short: string;
}

export interface Happenings {
  crossings: readonly LaneCrossing[];
  points: readonly LanePoint[];
  /** Whether stretches that were not measured are drawn along the foot of a lane. */
  lost: boolean;
}

/** How high strokes along the foot of a lane are, and how far apart. */
const FOOT = 6;
const APART = 5;
const SIGN = 4.5;

/** Draw them over the curves. `first`: the uppermost lane, which names the points. */
export function drawHappenings(
  u: uPlot,
  lane: LaneSpec,
  { crossings, points, lost }: Happenings,
  samples: Samples,
  inks: readonly (string | undefined)[],
  first: boolean,
  theme: Theme,
): void {
  const ratio = devicePixelRatio;
  const { left, top, width, height } = u.bbox;
  const { ctx } = u;
  const x = (at: number): number => u.valToPos(at, "x", true);
  const within = (from: number, to: number): [number, number] | null => {
    const [a, b] = [Math.max(x(from), left), Math.min(x(to), left + width)];
    return b < left || a > left + width ? null : [a, Math.max(b, a + ratio)];
  };
  ctx.save();
  ctx.beginPath();
  ctx.rect(left, top, width, height);
  ctx.clip();
  for (const { start, end, text, short } of points) {
    const place = within(start, end);
    if (!place) continue;
    const [from, to] = place;
    ctx.globalAlpha = 0.13;
    ctx.fillStyle = theme.mark;
    ctx.fillRect(from, top, to - from, height);
    ctx.globalAlpha = 1;
    if (!first) continue;
    ctx.fillStyle = theme.quiet;
    ctx.font = `${12 * ratio}px "Atkinson Hyperlegible Next Variable", sans-serif`;
    ctx.textBaseline = "bottom";
    const fits = [text, short].find((one) => ctx.measureText(one).width < to - from);
    if (fits) ctx.fillText(fits, from + 2 * ratio, top + height - 10 * ratio);
  }
  if (lost)
    lane.channels.forEach((channel, index) => {
      const foot = top + height - (2 + index * (FOOT + 2)) * ratio;
      ctx.strokeStyle = inks[index] ?? theme.ink;
      ctx.lineWidth = 1.25 * ratio;
      ctx.setLineDash([]);
      ctx.beginPath();
      for (const [start, end] of lostStretches(samples.of(channel.number))) {
        const place = within(start, end);
        if (!place) continue;
        // Strokes across, so that nobody takes it for a curve.
        for (let at = place[0]; at <= place[1]; at += APART * ratio) {
          ctx.moveTo(at, foot);
          ctx.lineTo(at + FOOT * ratio, foot - FOOT * ratio);
        }
      }
      ctx.stroke();
    });
  for (const { channel, at, value, serious } of crossings) {
    if (!lane.channels.some((one) => one.number === channel)) continue;
    const place = x(at);
    if (place < left || place > left + width) continue;
    const found = value === null ? NaN : u.valToPos(value, "y", true);
    const y = Number.isFinite(found)
      ? Math.min(Math.max(found, top + SIGN * ratio), top + height - SIGN * ratio)
      : top + height / 2;
    const reach = SIGN * ratio;
    ctx.beginPath();
    ctx.moveTo(place, y - reach);
    ctx.lineTo(place + reach, y);
    ctx.lineTo(place, y + reach);
    ctx.lineTo(place - reach, y);
    ctx.closePath();
    ctx.lineWidth = 1.5 * ratio;
    ctx.setLineDash([]);
    ctx.strokeStyle = serious ? theme.fault : theme.quiet;
    ctx.fillStyle = serious ? theme.fault : theme.panel;
    ctx.fill();
    ctx.stroke();
  }
  ctx.restore();
}

interface Series {
  length: number;
  times: ArrayLike<number>;
  qualities: ArrayLike<number>;
}

/** From the first sample that was not measured to the next one that was, again and again. */
export function lostStretches({ length, times, qualities }: Series): [number, number][] {
  const found: [number, number][] = [];
  let since: number | null = null;
  for (let n = 0; n < length; n++) {
    const at = times[n] ?? 0;
    if ((qualities[n] ?? 0) > 1) since ??= at;
    else if (since !== null) {
      found.push([since, at]);
      since = null;
    }
  }
  if (since !== null && length) found.push([since, times[length - 1] ?? since]);
  return found;
}
