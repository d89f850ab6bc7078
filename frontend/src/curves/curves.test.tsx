import { describe, expect, it } from "vitest";
import { at, type CurveRows, leftOut, pieces, refsOf } from "./curves";
import { asSent, figureOf, logTicks, scaleOf, tickWords, withUncertainty } from "./scale";

const rows = (xs: (number | null)[], ys: (number | null)[]): CurveRows =>
  ({
    about: { columns: [{ name: "F" }, { name: "G" }] },
    values: [xs, ys],
    run_name: "",
    item: "",
  }) as unknown as CurveRows;

describe("a logarithmic scale", () => {
  it("has each decade as wide as another, and 1, 2, 5 of it", () => {
    const scale = scaleOf([10, 1000], true, 0, 200, 8, 0);
    expect([10, 100, 1000].map((one) => Math.round(scale.place(one)))).toEqual([0, 100, 200]);
    expect(scale.ticks).toEqual([10, 20, 50, 100, 200, 500, 1000]);
    expect(scale.value(100)).toBeCloseTo(100);
  });
  it("leaves out what is not above zero, and says so", () => {
    const scale = scaleOf([0, -5, 10, 1000, null], true, 0, 200, 8, 0);
    expect([scale.low, scale.high].map(Math.round)).toEqual([10, 1000]);
    expect(leftOut(rows([0, -1, 10], [1, 1, 1]), true)).toBe(
      "2 rows at or below zero cannot be drawn over a logarithmic axis",
    );
    expect(leftOut(rows([0, -1, 10], [1, 1, 1]), false)).toBe("");
    expect(leftOut(rows([1, 2, 3], [-1, null, 3]), true, 1)).toBe(
      "1 row at or below zero cannot be drawn over a logarithmic axis",
    );
  });
  it("has ticks where not even two of 1, 2, 5 lie", () => {
    expect(logTicks(210, 330, 6).length).toBeGreaterThan(2);
  });
  it("stands with nothing to draw", () => {
    expect(scaleOf([], true, 0, 100, 5, 0).low).toBeGreaterThan(0);
    expect(Number.isFinite(scaleOf([7, 7], false, 0, 100, 5, 0.1).place(7))).toBe(true);
  });
});

describe("a line", () => {
  const straight = (value: number): number => value;
  it("is broken where nothing was measured", () => {
    const found = pieces([1, 2, 3, 4], [1, null, 3, 4], straight, straight, [false, false]);
    expect(found).toEqual([
      [[1, 1]],
      [
        [3, 3],
        [4, 4],
      ],
    ]);
  });
  it("keeps the lowest and the highest of more rows than can be seen", () => {
    const xs = Array.from({ length: 20_000 }, (_, n) => n / 1000);
    const ys = xs.map((_, n) => (n === 7777 ? 50 : n === 7778 ? -50 : 0));
    const [piece = []] = pieces(xs, ys, straight, straight, [false, false]);
    expect(piece.length).toBeLessThan(200);
    expect(Math.max(...piece.map(([, y]) => y))).toBe(50);
    expect(Math.min(...piece.map(([, y]) => y))).toBe(-50);
  });
});

it("takes the nearest row that was measured, over lg x where that is drawn", () => {
  const found = rows([10, 100, 1000], [1, null, 3]);
  expect(at(found, 1, 200, true)).toEqual({ x: 1000, y: 3 });
  expect(at(found, 1, 90, true)).toEqual({ x: 10, y: 1 });
  expect(at(found, 1, 90, false)).toEqual({ x: 10, y: 1 });
});

it("reads the curves of an address, and nothing else", () => {
  const run = "2693110c-b22c-470c-ade7-b0e0a0042527";
  expect(refsOf(`now.3,${run}.2,now.3,x.1,now.x,`)).toEqual([
    { run: null, number: 3 },
    { run, number: 2 },
  ]);
  expect(refsOf(null)).toEqual([]);
});

it("writes figures as a technician reads them", () => {
  expect([20, 500, 10_000, 2_500_000, -0.5].map(tickWords)).toEqual(["20", "500", "10k", "2.5M", "−0.5"]);
  expect(withUncertainty(4205.321, 6.13)).toBe("4205.3 ± 6.1");
  expect(withUncertainty(1.19929, 0.00049)).toBe("1.19929 ± 0.00049");
  expect(withUncertainty(-42.02, 0.29)).toBe("−42.02 ± 0.29");
  expect([figureOf(0.0095544), figureOf(4205.3), figureOf(0)]).toEqual(["0.0095544", "4205.3", "0"]);
  expect([asSent(-34.4), asSent(0.1 + 0.2)]).toEqual(["−34.4", "0.3"]);
});

it("writes what is very small or large with its power", () => {
  expect(withUncertainty(1.095e-6, 1.6e-8)).toBe("(1.095 ± 0.016) × 10⁻⁶");
  expect(withUncertainty(-2.5e9, 3e7)).toBe("(−2.500 ± 0.030) × 10⁹");
  expect(withUncertainty(0.003979, 0.000015)).toBe("0.003979 ± 0.000015");
});
