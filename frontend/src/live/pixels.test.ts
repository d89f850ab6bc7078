import { describe, expect, it } from "vitest";
import { column, extremes, grid, roundStep, scaleFor, timeTicks } from "./pixels";
import { Series } from "./samples";

const series = (...samples: [number, number, number?][]): Series => {
  const made = new Series();
  for (const [time, value, quality] of samples) made.push(time, value, quality ?? 0);
  return made;
};

/** Whether the chart's pen is lifted somewhere between two times: every place there says null. */
const lifted = (out: (number | null | undefined)[], x: number[], from: number, to: number): boolean =>
  out.some((_, i) => (x[i] ?? 0) > from && (x[i] ?? 0) < to) &&
  out.every((value, i) => (x[i] ?? 0) <= from || (x[i] ?? 0) >= to || value === null);

describe("column", () => {
  it("keeps the lowest and the highest of a pixel, in their order", () => {
    const view = grid(0, 1000, 10);
    const out = column(series([10, 5], [20, 9], [30, 1], [40, 4]), view, 500);
    expect(out.slice(0, 2)).toEqual([9, 1]);
  });

  it("joins samples that are sparser than pixels", () => {
    const view = grid(0, 1000, 100);
    const out = column(series([100, 1], [400, 2], [700, 3]), view, 500);
    expect(out.filter((value) => value === null)).toEqual([]);
    expect(out.filter((value) => typeof value === "number")).toHaveLength(6);
  });

  it("breaks where nothing came for longer than its patience", () => {
    const view = grid(0, 10_000, 100);
    const out = column(series([1000, 1], [2000, 2], [8000, 3], [8500, 4]), view, 1500);
    expect(lifted(out, view.x, 2200, 7900)).toBe(true);
    expect(out.slice(20, 40)).not.toContain(null);
  });

  it("breaks at a sample that was not measured, until one is", () => {
    const view = grid(0, 10_000, 100);
    const out = column(series([1000, 1], [2000, 2], [2050, NaN, 8], [8000, 3], [8100, 4]), view, 60_000);
    expect(lifted(out, view.x, 2200, 7900)).toBe(true);
  });

  it("draws nothing where nothing was measured", () => {
    const view = grid(0, 1000, 10);
    expect(column(series([100, NaN, 7], [300, NaN, 7]), view, 500).every((v) => typeof v !== "number")).toBe(
      true,
    );
    expect(column(series(), view, 500).every((value) => value === undefined)).toBe(true);
  });

  it("does not invent a value after the last sample", () => {
    const view = grid(0, 1000, 10);
    const out = column(series([100, 1]), view, 500);
    expect(out.slice(4).every((value) => typeof value !== "number")).toBe(true);
  });
});

describe("grid", () => {
  it("lies on whole multiples, so that it does not shimmer while time goes on", () => {
    const one = grid(0, 1000, 10);
    const later = grid(50, 1050, 10);
    expect(later.x).toContain(one.x[4]);
  });
});

describe("scaleFor", () => {
  it("ends on round figures with air around", () => {
    const [low, high] = scaleFor(131.2, 148.9, null);
    expect(low).toBeLessThan(131.2);
    expect(high).toBeGreaterThan(148.9);
    expect(low % 5).toBe(0);
  });
  it("keeps the old scale while it fits, and lets go when it is far too wide", () => {
    const old = scaleFor(10, 20, null);
    expect(scaleFor(11, 19, old)).toBe(old);
    expect(scaleFor(15, 15.2, old)).not.toBe(old);
  });
  it("does not blow noise up to fill the lane", () => {
    const [low, high] = scaleFor(230.1, 230.4, null, 2);
    expect(high - low).toBeGreaterThanOrEqual(2);
    expect(low).toBeLessThan(230);
    expect(high).toBeGreaterThan(230.5);
  });
  it("stands a flat line and no value at all", () => {
    const [low, high] = scaleFor(5, 5, null);
    expect(low).toBeLessThan(5);
    expect(high).toBeGreaterThan(5);
    expect(scaleFor(NaN, NaN, null)).toEqual([0, 1]);
  });
  it("does not go below nought for values that never do", () => {
    expect(scaleFor(0.1, 3, null)[0]).toBe(0);
    expect(scaleFor(-0.003, 5, null)[0]).toBe(0);
    expect(scaleFor(-0.5, 5, null)[0]).toBeLessThan(-0.5);
  });
});

describe("the rest", () => {
  it("rounds steps to 1, 2 and 5", () => {
    expect([0.7, 1, 1.2, 3, 8].map(roundStep)).toEqual([1, 1, 2, 5, 10]);
  });
  it("finds extremes of what was measured only", () => {
    expect(extremes([series([1, 5], [2, 99, 7], [3, 7])], 0, 10)).toEqual([5, 7]);
    expect(extremes([series()], 0, 10)).toEqual([NaN, NaN]);
  });
  it("puts time ticks on whole steps", () => {
    const { step, at } = timeTicks(1_000_123, 1_300_123, 6);
    expect(step).toBe(60_000);
    expect(at.every((t) => t % 60_000 === 0)).toBe(true);
  });
});
