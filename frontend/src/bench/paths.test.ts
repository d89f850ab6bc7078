import type uPlot from "uplot";
import { afterEach, describe, expect, it, vi } from "vitest";
import { pixelPath } from "./paths";

class FakePath {
  readonly said: string[] = [];
  moveTo(x: number, y: number): void {
    this.said.push(`M${x} ${y}`);
  }
  lineTo(x: number, y: number): void {
    this.said.push(`L${x} ${y}`);
  }
}

/** A chart of 100 by 50 pixels that begins at (10, 5). */
function path(values: (number | null | undefined)[], scale: [number, number], log = false): string[] {
  const chart = {
    data: [values.map((_, index) => index), values],
    bbox: { left: 10, top: 5, width: 100, height: 50 },
    scales: { x: { min: 0, max: 10 }, y: { min: scale[0], max: scale[1] } },
  } as unknown as uPlot;
  const made = pixelPath(log)(chart, 1, 0, values.length - 1);
  return (made?.stroke as unknown as FakePath).said;
}

describe("the path of a curve", () => {
  afterEach(() => vi.unstubAllGlobals());

  it("goes on where nothing came, and is broken where a reading is missing", () => {
    vi.stubGlobal("Path2D", FakePath);
    expect(path([0, undefined, 10, null, undefined, 5, 5], [0, 10])).toEqual([
      "M10 55",
      "L30 5",
      "M60 30",
      "L70 30",
    ]);
  });

  it("has the same factor at the same distance on a logarithmic scale", () => {
    vi.stubGlobal("Path2D", FakePath);
    expect(path([1, 10, 100], [1, 100], true)).toEqual(["M10 55", "L20 30", "L30 5"]);
  });
});
