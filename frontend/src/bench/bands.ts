/** States drawn as bands of words. */

import type uPlot from "uplot";
import { valueWords } from "../look/format";
import type { Theme } from "../look/theme";
import type { Column } from "../live/pixels";
import { INSET, type LaneChannel, type LaneSpec } from "./lanes";

/** One state from a pixel to another, or, where more than one state falls on a pixel, that it changed there. */
export interface Band {
  from: number;
  to: number;
  value: number;
}

/** The bands of a column of pixels, two places a pixel: lowest and highest, the later one last. */
export function bandsOf(column: Column): Band[] {
  const bands: Band[] = [];
  let open = null as Band | null;
  for (let place = 0; place < column.length; place++) {
    const value = column[place];
    if (value === undefined) continue;
    if (value === null) {
      open = null;
    } else if (open?.value === value) {
      open.to = place;
    } else {
      // What was there goes on until it is seen to have changed.
      if (open) open.to = place;
      open = { from: place, to: place, value };
      bands.push(open);
    }
  }
  return bands;
}

const MOST_HIGH = 34;

/** Draw a lane's bands, its channels below each other. `columns` stand at the chart's own places. */
export function drawBands(u: uPlot, lane: LaneSpec, columns: Column[], inks: string[], theme: Theme): void {
  const ratio = devicePixelRatio;
  const { left, top, width, height } = u.bbox;
  const inset = INSET * ratio;
  const row = (height - 2 * inset) / lane.channels.length;
  const high = Math.min(row - 3 * ratio, MOST_HIGH * ratio);
  const axis = u.data[0];
  const at = (place: number): number =>
    Math.min(Math.max(u.valToPos(axis[place] ?? 0, "x", true), left), left + width);
  lane.channels.forEach((channel, index) => {
    const y = top + inset + row * index + (row - high) / 2;
    let free = -Infinity;
    for (const band of bandsOf(columns[index] ?? [])) {
      const from = at(band.from);
      const to = Math.max(at(band.to), from + ratio);
      u.ctx.save();
      u.ctx.globalAlpha = shade(channel, band.value);
      u.ctx.fillStyle = inks[index] ?? theme.ink;
      u.ctx.fillRect(from, y, to - from, high);
      u.ctx.globalAlpha = 1;
      u.ctx.fillRect(from, y, 1.5 * ratio, high);
      u.ctx.fillStyle = theme.ink;
      u.ctx.font = `${13 * ratio}px "Atkinson Hyperlegible Next Variable", sans-serif`;
      u.ctx.textBaseline = "middle";
      const text = valueWords(band.value, channel);
      const wide = u.ctx.measureText(text).width;
      if (to - from > wide + 12 * ratio && from > free) {
        u.ctx.fillText(text, from + 7 * ratio, y + high / 2);
        free = from + wide;
      }
      u.ctx.restore();
    }
  });
}

/** How strongly a state is inked: later ones more than earlier ones. */
function shade(channel: LaneChannel, value: number): number {
  const count = channel.states?.length ?? 1;
  const share = count > 1 ? Math.min(Math.max(value, 0), count - 1) / (count - 1) : 0;
  return 0.16 + 0.3 * share;
}
