import { describe, expect, it } from "vitest";
import type { RunDetail } from "../api/client";
import { Exact } from "../live/exact";
import { limitWords } from "../bench/lanes";
import { comparedReadings, laidOver, lanesOf, meansOf, shared } from "./compared";

const channel = (number: number, id: string, name: string, unit: string) => ({
  number, id, name, unit, decimals: 1, interval_s: 1, low: 1, high: 2, clock: false, states: [], statistics: {},
}); // prettier-ignore

const run = (id: string, numbers: object[], begun_at = 0): RunDetail =>
  ({ id, name: `Run ${id}`, item: "", begun_at, ended_at: begun_at + 60e6, numbers, marks: [] }) as never;

/** One sample, as the server packs it. */
function packed(number: number, us: bigint, value: number): ArrayBuffer {
  const view = new DataView(new ArrayBuffer(24));
  view.setBigUint64(0, (1n << 24n) | (BigInt(number) << 8n), true);
  view.setBigInt64(8, us, true);
  view.setFloat64(16, value, true);
  return view.buffer;
}

const first = run("a", [channel(1, "f", "Flow", "L/min"), channel(2, "p", "Pressure", "bar")]);
const second = run(
  "b",
  [channel(7, "f", "Flow", "L/min"), channel(8, "q", "Pressure", "bar")],
  3_600_000_000,
);
const third = run("c", [channel(1, "f", "Flow", "m³/h"), channel(2, "t", "Motor", "°C")]);

describe("runs laid over each other", () => {
  it("share channels of one id, or of one name and unit, and never of two units", () => {
    const found = shared([first, second, third]);
    expect(found.map(({ channel: one, of }) => [one.id, of.map((each) => each?.number)])).toEqual([
      ["f", [1, 7, undefined]],
      ["p", [2, 8, undefined]],
    ]);
    expect(shared([first, third])).toEqual([]);
  });

  it("stand at the first one's time, each with its own ink, limits of the first alone", () => {
    const members = [
      { run: first, at: 5_000 },
      { run: second, at: 3_605_000 },
    ];
    const samples = laidOver(members, [packed(1, 7_000_000n, 10), packed(7, 3_607_500_000n, 12)]);
    const lanes = lanesOf(shared([first, second]), [first, second], 8);
    const [mine, other] = lanes[0]?.channels ?? [];
    expect([mine?.name, other?.name, mine?.low, other?.low]).toEqual(["Flow A", "Flow B", 1, null]);
    // Those of the first are drawn; what the other has is said all the same.
    expect([mine, other].map((one) => one && limitWords(one))).toEqual(["1 to 2", "1 to 2"]);
    expect(samples.of(mine?.number ?? 0).last()).toEqual({ time: 7_000, value: 10, quality: 0 });
    expect(samples.of(other?.number ?? 0).last()).toEqual({ time: 7_500, value: 12, quality: 0 });
  });

  it("read what each measured at its own time, and else the means of the stretch", () => {
    const members = [
      { run: first, at: 5_000 },
      { run: second, at: 3_605_000 },
    ];
    const asked: number[] = [];
    const exact = (id: string): Exact => {
      const made = new Exact(() => 1e9, id);
      made.at = (time) => {
        asked.push(time);
        return new Map([["f", { id: "f", time: time * 1000, value: time, quality: 0 }]]);
      };
      return made;
    };
    const channels = shared([first, second]);
    const means = meansOf(channels, [new Map([[1, { mean: 3 }]]), new Map([[7, { mean: 4 }]])]);
    const readings = comparedReadings(members, [exact("a"), exact("b")], means);
    const [mine, other] = lanesOf(channels, [first, second], 8)[0]?.channels ?? [];
    if (!mine || !other) throw new Error("a lane is missing");
    expect(readings.of(other, 0, null).value).toBe(4);
    expect(readings.of(mine, 0, 6_000).value).toBe(6_000);
    expect(readings.of(other, 0, 6_000).value).toBe(3_606_000);
    expect(asked).toEqual([6_000, 3_606_000]);
  });
});
