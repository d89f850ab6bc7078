import { describe, expect, it } from "vitest";
import { extentsOf, freeAt, heightsFrom } from "./sentences";
import { shifted } from "./windows";

const same = (value: number): number => value;

describe("a sentence in a lane", () => {
  it("stands beside what it says, or where no curve is in the way", () => {
    const heights = heightsFrom(50, 0, 100, 20);
    expect(freeAt(heights, [], 9)).toBe(50);
    const flat = extentsOf([50, undefined, 52, 51], 0, 3, same);
    expect(freeAt(heights, flat, 9)).toBe(88);
    // A steep line between two points is in the way all along.
    const steep = extentsOf([10, undefined, undefined, 95], 1, 2, same);
    expect(steep).toEqual([
      [10, 10],
      [10, 95],
    ]);
    expect(freeAt(heights, [...steep, [0, 9]], 9)).toBeNull();
    // A curve that has stopped is not.
    expect(extentsOf([50, null, null, null], 1, 3, same)).toEqual([]);
  });
});

describe("a stretch that is shifted", () => {
  it("keeps its length at now's edge", () => {
    expect(shifted({ start: 0, end: 100 }, 0.5, 1000)).toEqual({ start: 50, end: 150 });
    expect(shifted({ start: 0, end: 100 }, 0.5, 120)).toEqual({ start: 20, end: 120 });
    expect(shifted({ start: 50, end: 150 }, -0.5, 1000)).toEqual({ start: 0, end: 100 });
  });
});
