/** A curve's path from its pixels. */

import type uPlot from "uplot";

/**
 * The path of a series whose data are pixels: a number is a point, undefined is nothing (the line goes on), null lifts the
 * pen. The chart's own builder looks for the lowest and highest of each pixel once more, which these already are.
 */
export function pixelPath(log: boolean): uPlot.Series.PathBuilder {
  return (u, index, from, to) => {
    const stroke = new Path2D();
    const times = u.data[0];
    const values = u.data[index] ?? [];
    const { left, top, width, height } = u.bbox;
    const { min: start = 0, max: end = 1 } = u.scales.x ?? {};
    const { min: low = 0, max: high = 1 } = u.scales.y ?? {};
    if (start === null || end === null || low === null || high === null) return null;
    const place = log ? Math.log : (value: number): number => value;
    const wide = width / (end - start);
    const tall = height / (place(high) - place(low));
    const bottom = top + height;
    const floor = place(low);
    let down = false;
    for (let i = from; i <= to; i++) {
      const value = values[i];
      if (value === undefined) continue;
      if (value === null) {
        down = false;
        continue;
      }
      const x = Math.round(left + ((times[i] ?? 0) - start) * wide);
      const y = Math.round(bottom - ((log ? place(value) : value) - floor) * tall);
      if (down) stroke.lineTo(x, y);
      else stroke.moveTo(x, y);
      down = true;
    }
    return { stroke, fill: null, clip: null, flags: 1 };
  };
}
