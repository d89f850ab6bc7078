/** How the Bench is laid out: which channels share a lane, in which order, how high, on which scale. */

import type { Schemas } from "../api/client";
import type { Clocks } from "../live/samples";
import { type Bare, isState, type LaneChannel, type LaneSpec } from "./lanes";

export type Layout = Schemas["LayoutData"];
export type LaneSetting = Layout["lanes"][number];

export const PLAIN: Layout = { lanes: [], hidden: [], own_time: [] };

const setting = (channels: string[], more: Partial<LaneSetting> = {}): LaneSetting => ({
  channels,
  weight: 1,
  scale: null,
  log: false,
  undrawn: [],
  band: false,
  ...more,
});

/** So many channels without a unit has an instrument before they share lanes. */
const FEW = 4;

/** How many times larger one may be than the other, and both still be read in one lane. */
const ALIKE = 12;

/** How far from nothing a channel usually goes; 0 where that is not known. */
const sizeOf = (channel: Bare): number =>
  Math.max(0, ...(channel.usual ?? []).map((value) => Math.abs(value)));

/** Whether two channels may share a lane unasked. States are bands, those of an instrument below each other. Without units nobody knows what they have in common: they do only where
 * one instrument has many of them, as long as their values are about as large, or, where that is not known, have the same decimals. */
export function belong(one: Bare, other: Bare, channels: Bare[]): boolean {
  if (isState(one) || isState(other))
    return isState(one) && isState(other) && one.instrument === other.instrument;
  if (one.unit !== other.unit) return false;
  if (one.unit) return true;
  const alike = channels.filter((each) => !each.unit && each.instrument === one.instrument);
  if (alike.length <= FEW || one.instrument !== other.instrument) return false;
  const sizes = [sizeOf(one), sizeOf(other)];
  if (sizes[0] && sizes[1]) return Math.max(...sizes) < ALIKE * Math.min(...sizes);
  return one.decimals === other.decimals;
}

/** Every lane of a layout with the channels there are; those it does not name join the lane of their unit. Clocks stand in
 * no lane until somebody wants them there. */
export function settled(channels: Bare[], layout: Layout): Layout {
  const known = new Set(channels.map((channel) => channel.id));
  const lanes = layout.lanes
    .map((lane) => ({ ...lane, channels: lane.channels.filter((id) => known.has(id)) }))
    .filter((lane) => lane.channels.length > 0);
  const placed = new Set([...lanes.flatMap((lane) => lane.channels), ...layout.hidden]);
  const byId = new Map(channels.map((channel) => [channel.id, channel]));
  const away = [...layout.hidden];
  for (const channel of channels) {
    if (placed.has(channel.id)) continue;
    if (channel.clock) {
      away.push(channel.id);
      continue;
    }
    const mine = lanes.find((lane) =>
      lane.channels.every((id) => {
        const other = byId.get(id);
        return other !== undefined && belong(channel, other, channels);
      }),
    );
    if (mine) mine.channels = [...mine.channels, channel.id];
    else lanes.push(setting([channel.id]));
  }
  return { ...layout, lanes, hidden: away };
}

const INKS = 8;

/** The ink of a channel: its own, or the next one that fewer channels of its lane have. */
function dealt(own: number, used: number[]): number {
  const fewest = Math.min(...used);
  let ink = own;
  while ((used[ink] ?? 0) > fewest) ink = (ink + 1) % INKS;
  used[ink] = (used[ink] ?? 0) + 1;
  return ink;
}

/** The lanes to draw. A channel keeps its ink wherever it stands, unless another one of its lane has it. */
export function arranged(channels: Bare[], layout: Layout): LaneSpec[] {
  const byId = new Map(channels.map((channel, index) => [channel.id, { channel, index }]));
  return settled(channels, layout).lanes.map((lane, place): LaneSpec => {
    const used = Array<number>(INKS).fill(0);
    const own = lane.channels.flatMap((id, place): LaneChannel[] => {
      const found = byId.get(id);
      if (!found) return [];
      const ink = dealt(found.index % INKS, used);
      // Neighbours differ in dash too, and no two of 32 look alike.
      return [{ ...found.channel, ink, dash: (place + Math.floor(place / INKS)) % 4 }];
    });
    const units = [...new Set(own.map((channel) => channel.unit))];
    return {
      key: `${place} ${lane.channels.join(" ")}`,
      unit: units.join(", "),
      channels: own,
      weight: lane.weight,
      scale: (lane.scale ?? null) as [number, number] | null,
      log: lane.log,
      undrawn: lane.undrawn ?? [],
      band: lane.band ?? false,
    };
  });
}

/** A lane moved up (-1) or down (1). */
export function moved(layout: Layout, place: number, by: -1 | 1): Layout {
  const lanes = [...layout.lanes];
  const other = place + by;
  const [one, two] = [lanes[place], lanes[other]];
  if (!one || !two) return layout;
  lanes[place] = two;
  lanes[other] = one;
  return { ...layout, lanes };
}

/** A lane with something about it changed. */
export function changed(layout: Layout, place: number, more: Partial<LaneSetting>): Layout {
  return { ...layout, lanes: layout.lanes.map((lane, n) => (n === place ? { ...lane, ...more } : lane)) };
}

/** A channel of a lane drawn, or not; its readout stays. */
export function drawn(layout: Layout, place: number, id: string, on: boolean): Layout {
  const others = (layout.lanes[place]?.undrawn ?? []).filter((one) => one !== id);
  return changed(layout, place, { undrawn: on ? others : [...others, id] });
}

/** Taller or lower than it is, within reason. */
export function resized(layout: Layout, place: number, factor: number): Layout {
  const weight = layout.lanes[place]?.weight ?? 1;
  return changed(layout, place, { weight: Math.min(4, Math.max(0.25, weight * factor)) });
}

/** One channel of a lane, or all of it, out of sight. */
export function hidden(layout: Layout, place: number, id?: string): Layout {
  const gone = id === undefined ? (layout.lanes[place]?.channels ?? []) : [id];
  const lanes = layout.lanes
    .map((lane, n) =>
      n === place ? { ...lane, channels: lane.channels.filter((one) => !gone.includes(one)) } : lane,
    )
    .filter((lane) => lane.channels.length > 0);
  const elsewhere = new Set(lanes.flatMap((lane) => lane.channels));
  const more = gone.filter((one) => !elsewhere.has(one) && !layout.hidden.includes(one));
  return { ...layout, lanes, hidden: [...layout.hidden, ...more] };
}

/** A hidden channel back in sight, in the lane of its unit; a clock in one of its own. */
export function shown(layout: Layout, id: string, clock = false): Layout {
  const hidden = layout.hidden.filter((one) => one !== id);
  return { ...layout, lanes: clock ? [...layout.lanes, setting([id])] : layout.lanes, hidden };
}

/** The clock of each channel of the instruments that stand at their own time. */
export function clocksOf(channels: Bare[], layout: Layout): Clocks {
  const own = new Set(layout.own_time);
  return new Map(
    channels.flatMap((one) =>
      one.timed_by && own.has(one.instrument ?? "") ? [[one.number, one.timed_by] as const] : [],
    ),
  );
}

/** Instruments at their own time, or at the time of arrival again. */
export function timed(layout: Layout, instruments: string[], own: boolean): Layout {
  const others = (layout.own_time ?? []).filter((one) => !instruments.includes(one));
  return { ...layout, own_time: own ? [...others, ...instruments] : others };
}

/** Each channel of a lane in a lane of its own. */
export function split(layout: Layout, place: number): Layout {
  const lane = layout.lanes[place];
  if (!lane || lane.channels.length < 2) return layout;
  const apart = lane.channels.map((id) => ({ ...lane, channels: [id] }));
  return { ...layout, lanes: [...layout.lanes.slice(0, place), ...apart, ...layout.lanes.slice(place + 1)] };
}

/** A lane together with the one above it. */
export function joined(layout: Layout, place: number): Layout {
  const [above, lane] = [layout.lanes[place - 1], layout.lanes[place]];
  if (!above || !lane) return layout;
  const channels = [...above.channels, ...lane.channels.filter((id) => !above.channels.includes(id))];
  const lanes = layout.lanes.filter((_, n) => n !== place);
  return { ...layout, lanes: lanes.map((one, n) => (n === place - 1 ? { ...one, channels } : one)) };
}

/** A channel in one more lane, at the end. */
export function again(layout: Layout, id: string): Layout {
  return { ...layout, lanes: [...layout.lanes, setting([id])] };
}

/** One lane brought forward: it takes most of the room; again, and all are alike. */
export function forward(layout: Layout, place: number): Layout {
  const is = layout.lanes[place]?.weight === 4;
  return {
    ...layout,
    lanes: layout.lanes.map((lane, n) => ({ ...lane, weight: !is && n === place ? 4 : 1 })),
  };
}
