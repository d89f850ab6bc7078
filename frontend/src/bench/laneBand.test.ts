import { describe, expect, it } from "vitest";
import { bandOf, oddOnes } from "./laneBand";

describe("a lane of many as a band", () => {
  it("has the lowest, the middle and the highest at each pixel", () => {
    // Three channels, two pixels; the third has nothing new in the second one.
    const band = bandOf(
      [
        [1, 3, 2, 2],
        [10, 8, 9, 11],
        [4, 6, undefined, undefined],
      ],
      2,
    );
    expect([...band.low]).toEqual([1, 2]);
    expect([...band.high]).toEqual([10, 11]);
    // Halfway: 2, 9 and 5; then 2, 10 and the 6 that stands.
    expect([...band.middle]).toEqual([5, 6]);
  });
  it("lets a channel go where it breaks, and has nothing where nothing was measured", () => {
    const band = bandOf([[undefined, undefined, 5, 7, null, null, undefined, undefined]], 4);
    expect([...band.low]).toEqual([NaN, 5, NaN, NaN]);
    expect([...band.high]).toEqual([NaN, 7, NaN, NaN]);
  });
  it("draws over it whoever stands out, and nobody where all differ alike", () => {
    const flat = (value: number) => [value, value];
    const alike = [20.1, 20.2, 19.9, 20.0, 20.1].map(flat);
    expect([...oddOnes(alike, 0.1)]).toEqual([]);
    expect([...oddOnes([...alike, flat(27), flat(14)], 0.1)]).toEqual([5, 6]);
    expect([...oddOnes([20, 20, 20, 20, 20.01].map(flat), 0.1)]).toEqual([]);
    expect([...oddOnes([1, 2, 100].map(flat), 0.1)]).toEqual([]);
  });
});
