/** Where a sentence stands in a lane: beside what it says, and never over a curve. */

/** From, to: pixels from the lane's top. */
export type Extent = [number, number];

/** What a curve takes up in height between two places of its column, in pixels: the line between its points counts. */
export function extentsOf(
  values: readonly (number | null | undefined)[],
  from: number,
  to: number,
  place: (value: number) => number,
): Extent[] {
  const found: Extent[] = [];
  let last: number | null = null;
  // What came before goes on into the stretch.
  let first = from;
  while (first > 0 && values[first] === undefined) first--;
  for (let at = first; at < values.length; at++) {
    const value = values[at];
    if (value === undefined) continue;
    if (value === null) {
      last = null;
      if (at > to) break;
      continue;
    }
    const y = place(value);
    found.push(last === null ? [y, y] : [Math.min(last, y), Math.max(last, y)]);
    last = y;
    // The line to the first point behind the stretch crosses it.
    if (at > to) break;
  }
  return found;
}

/** The first of some heights at which a line of text, `half` of its height up and down, meets nothing; null for none. */
export function freeAt(heights: number[], taken: Extent[], half: number): number | null {
  const free = (y: number): boolean => taken.every(([from, to]) => to < y - half || from > y + half);
  return heights.find(free) ?? null;
}

/** Heights to try: beside what is said, then from the lane's foot and head inwards. */
export function heightsFrom(beside: number, top: number, height: number, row: number): number[] {
  const rows = Math.max(1, Math.floor(height / row));
  const inwards = Array.from({ length: rows }, (_, n) => {
    const step = Math.floor(n / 2) * row + 0.6 * row;
    return n % 2 ? top + step : top + height - step;
  });
  return [beside, ...inwards];
}
