import { expect, test } from "vitest";
import { lostStretches } from "./happenings";

const series = (...pairs: [number, number][]) => ({
  length: pairs.length,
  times: pairs.map(([at]) => at),
  qualities: pairs.map(([, quality]) => quality),
});

test("a stretch that was not measured goes to the next sample that was", () => {
  expect(lostStretches(series([0, 0], [10, 7], [20, 8], [30, 0], [40, 1], [50, 2]))).toEqual([
    [10, 30],
    [50, 50],
  ]);
  expect(lostStretches(series([5, 7], [9, 7]))).toEqual([[5, 9]]);
  expect(lostStretches(series())).toEqual([]);
  expect(lostStretches(series([0, 0], [1, 1]))).toEqual([]);
});
