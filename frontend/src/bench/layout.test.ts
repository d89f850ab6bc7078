import { describe, expect, it } from "vitest";
import { noLimits } from "../instruments/limits";
import * as lay from "./layout";
import type { Bare } from "./lanes";
import { valueWords } from "../look/format";
import { Samples } from "../live/samples";
import { bandsOf } from "./bands";
import { saidOf } from "./readout";
import { Exact } from "../live/exact";
import { benchReadings, isGood, runReadings } from "../live/readings";
import { isStates, placeOf, serious, standing, valueAt } from "./lanes";
import { keepWindow, keptWindow, nextWindow, untilNow, WINDOWS } from "./windows";
import { Cursor } from "./cursor";

const channel = (id: string, unit: string): Bare => ({
  number: id.charCodeAt(0), id, name: id.toUpperCase(), unit, decimals: 1, interval_s: 1, low: null, high: null,
}); // prettier-ignore

const channels = [channel("a", "bar"), channel("b", "kW"), channel("c", "bar")];
const plain = lay.settled(channels, lay.PLAIN);
const ids = (layout: lay.Layout): string[] => layout.lanes.map((lane) => lane.channels.join("+"));

describe("a layout", () => {
  it("puts what it does not name into the lane of its unit", () => {
    expect(ids(plain)).toEqual(["a+c", "b"]);
    expect(ids(lay.settled([...channels, channel("d", "kW")], plain))).toEqual(["a+c", "b+d"]);
    expect(ids(lay.settled([...channels, channel("d", "V")], plain))).toEqual(["a+c", "b", "d"]);
  });
  it("gives channels without a unit lanes of their own; many of one instrument share by their decimals", () => {
    const bare = (id: string, instrument: string, decimals: number): Bare => ({
      ...channel(id, ""),
      instrument,
      decimals,
    });
    const few = [bare("a", "x", 1), bare("b", "x", 1), bare("c", "y", 1)];
    expect(ids(lay.settled(few, lay.PLAIN))).toEqual(["a", "b", "c"]);
    const many = ["a", "b", "c", "d", "e"].map((id, n) => bare(id, "x", n % 2));
    expect(ids(lay.settled([...many, bare("f", "y", 0)], lay.PLAIN))).toEqual(["a+c+e", "b+d", "f"]);
  });
  it("keeps numbers that are much larger apart from the others", () => {
    const of = (id: string, usual: number[]): Bare => ({ ...channel(id, ""), instrument: "x", usual });
    const six = [
      of("a", [0, 12]),
      of("b", [0, 400_000]),
      of("c", [-3, 3]),
      of("d", [1, 17]),
      of("e", [90_000, 99_000]),
      of("f", [0, 5]),
    ];
    expect(ids(lay.settled(six, lay.PLAIN))).toEqual(["a+c+d+f", "b+e"]);
  });
  it("puts the states of an instrument together, and clocks nowhere until they are wanted", () => {
    const of = (id: string, more: Partial<Bare>): Bare => ({ ...channel(id, ""), instrument: "x", ...more });
    const mixed = [
      of("a", { states: ["shut", "open"] }),
      of("b", {}),
      of("c", { states: ["off", "on"] }),
      of("d", { instrument: "y", states: ["off", "on"] }),
      of("e", { unit: "s", clock: true }),
    ];
    const laid = lay.settled(mixed, lay.PLAIN);
    expect(ids(laid)).toEqual(["a+c", "b", "d"]);
    expect(laid.hidden).toEqual(["e"]);
    expect(ids(lay.settled(mixed, lay.shown(laid, "e", true)))).toEqual(["a+c", "b", "d", "e"]);
    expect(lay.arranged(mixed, lay.PLAIN).map(isStates)).toEqual([true, false, true]);
  });
  it("moves the channels of chosen instruments to the times of their clocks", () => {
    const of = (id: string, more: Partial<Bare>): Bare => ({ ...channel(id, "V"), instrument: "x", ...more });
    const clocked = [of("a", { timed_by: 9 }), of("b", {}), of("c", { instrument: "y", timed_by: 8 })];
    const own = lay.timed(lay.PLAIN, ["x"], true);
    expect([...lay.clocksOf(clocked, own)]).toEqual([[97, 9]]);
    expect(lay.clocksOf(clocked, lay.timed(own, ["x"], false)).size).toBe(0);
    expect(lay.settled(clocked, own).own_time).toEqual(["x"]);
    expect(lay.hidden(own, 0, "a").own_time).toEqual(["x"]);
  });
  it("forgets channels that are gone, and empty lanes with them", () => {
    expect(ids(lay.settled([channel("c", "bar")], plain))).toEqual(["c"]);
  });
  it("splits, joins, moves and repeats lanes", () => {
    expect(ids(lay.split(plain, 0))).toEqual(["a", "c", "b"]);
    expect(lay.split(plain, 1)).toBe(plain);
    expect(ids(lay.joined(plain, 1))).toEqual(["a+c+b"]);
    expect(lay.joined(plain, 0)).toBe(plain);
    expect(ids(lay.moved(plain, 1, -1))).toEqual(["b", "a+c"]);
    expect(lay.moved(plain, 0, -1)).toBe(plain);
    expect(ids(lay.again(plain, "b"))).toEqual(["a+c", "b", "b"]);
  });
  it("hides channels and shows them again; one that stands elsewhere too is not hidden", () => {
    const hidden = lay.hidden(plain, 0, "a");
    expect(ids(lay.settled(channels, hidden))).toEqual(["c", "b"]);
    expect(ids(lay.settled(channels, lay.shown(hidden, "a")))).toEqual(["c+a", "b"]);
    expect(lay.hidden(lay.again(plain, "b"), 1).hidden).toEqual([]);
    expect(ids(lay.hidden(plain, 0))).toEqual(["b"]);
  });
  it("brings one lane forward and all back, and resizes within reason", () => {
    const forward = lay.forward(plain, 1);
    expect(forward.lanes.map((lane) => lane.weight)).toEqual([1, 4]);
    expect(lay.forward(forward, 1).lanes.map((lane) => lane.weight)).toEqual([1, 1]);
    let tall = plain;
    for (let n = 0; n < 20; n++) tall = lay.resized(tall, 0, 2);
    expect(tall.lanes[0]?.weight).toBe(4);
  });
  it("keeps a channel's ink wherever it stands, and dashes the second in a lane", () => {
    const [first, second] = lay.arranged(channels, lay.moved(plain, 1, -1));
    expect(first?.channels.map((one) => [one.id, one.ink, one.dash])).toEqual([["b", 1, 0]]);
    expect(second?.channels.map((one) => [one.id, one.ink, one.dash])).toEqual([["a", 0, 0], ["c", 2, 1]]); // prettier-ignore
  });
});

describe("places in a lane", () => {
  it("lead to values and back, linear and logarithmic", () => {
    for (const log of [false, true])
      for (const value of [0.2, 1, 9])
        expect(valueAt(placeOf(value, [0.1, 10], 200, log), [0.1, 10], 200, log)).toBeCloseTo(value, 9);
    expect(placeOf(10, [0, 10], 200, false)).toBe(5); // air at the lane's edge
    expect(placeOf(0, [0, 10], 200, false)).toBe(195);
  });
});

describe("where a value stands", () => {
  const limited = {
    ...channel("a", "bar"), ink: 0, dash: 0, low: 1, high: 5,
    limits: { low: 1, high: 5, high_caution: 4, ...noLimits, state: "within" as const, since: 0, band: 1, settled: false },
  }; // prettier-ignore
  const at = (state: string, value: number, plainly = false) =>
    standing({ ...limited, limits: { ...limited.limits, state: state as "within" } }, value, plainly);
  it("is said in words, as the recorder judges it", () => {
    expect(at("within", 3)).toEqual({ words: "1 to 5", level: false });
    expect(at("high", 4.9)).toEqual({ words: "above 5", level: true }); // not back by its hysteresis yet
    expect(at("high caution", 4.5)).toEqual({ words: "above 4", level: "caution" });
    expect(at("stuck", 3).words).toBe("stuck");
    expect(at("starting", 9).words).toBe("warming up");
    expect(at("high", 3, true).level).toBe(false); // at a cursor: plainly
  });
});

describe("windows of time", () => {
  it("go narrower and wider, and are remembered", () => {
    localStorage.clear();
    const five = keptWindow();
    expect(five.key).toBe("5 min");
    expect(nextWindow(five, 1).key).toBe("15 min");
    expect(nextWindow(WINDOWS[0] as typeof five, -1).key).toBe("10 s");
    const month = WINDOWS.find((one) => one.key === "30 days") as typeof five;
    expect(nextWindow(month, 1)).toBe(month);
    keepWindow(month);
    expect(keptWindow()).toBe(month);
  });
});

describe("zooming out", () => {
  it("ends now at the latest, as long as it is", () => {
    expect(untilNow({ start: 50, end: 150 }, 100)).toEqual({ start: 0, end: 100 });
    expect(untilNow({ start: 10, end: 60 }, 100)).toEqual({ start: 10, end: 60 });
  });
});

describe("the cursor", () => {
  it("follows the pointer until it is pinned; a second press is for differences, a third clears", () => {
    const cursor = new Cursor();
    let told = 0;
    const leave = cursor.subscribe(() => told++);
    cursor.hover(5);
    cursor.hover(null);
    expect([cursor.at, told]).toEqual([null, 2]);
    cursor.press(7);
    cursor.hover(9);
    expect(cursor.at).toBe(7);
    cursor.press(11);
    expect([cursor.from, cursor.at]).toEqual([7, 11]);
    cursor.press(12);
    expect([cursor.from, cursor.at, cursor.pinned]).toEqual([null, null, false]);
    cursor.move(3);
    expect(cursor.pinned).toBe(true);
    leave();
    cursor.clear();
    expect(told).toBe(6);
  });
});

describe("bands of states", () => {
  it("goes on until another state is seen, and stops at a break", () => {
    const none = undefined;
    expect(bandsOf([0, 0, none, none, 1, 1, none, none])).toEqual([
      { from: 0, to: 4, value: 0 },
      { from: 4, to: 5, value: 1 },
    ]);
    expect(bandsOf([2, 2, null, null, 2, 2])).toEqual([
      { from: 0, to: 1, value: 2 },
      { from: 4, to: 5, value: 2 },
    ]);
    // A pixel in which it changed has both.
    expect(bandsOf([0, 1, 1, 1]).map((band) => band.value)).toEqual([0, 1]);
    expect(bandsOf([none, null])).toEqual([]);
  });
});

describe("a state's readout", () => {
  it("has its word, and no mean: shut and open half of the time each is neither", () => {
    const valve = { ...channel("v", ""), states: ["shut", "open"], ink: 0, dash: 0 };
    const samples = new Samples();
    [0, 1, 1].forEach((value, n) => samples.of(valve.number).push(1000 * n, value, 0));
    const view = { start: 0, end: 2000 };
    const exact = new Exact(() => 2000);
    const live = benchReadings(samples, exact, true);
    expect(valueWords(live.of(valve, view.end, null).value, valve)).toBe("open");
    const mean = runReadings(samples, exact, new Map([[valve.number, 0.5]])).of(valve, view.end, null);
    expect(isGood(mean)).toBe(false);
    expect(saidOf(valve, mean, false)).toEqual({ words: "no mean", level: false });
    expect(valueWords(0.5, valve)).toBe("0.50");
  });
});

describe("a state that calls for somebody", () => {
  const mode = {
    ...channel("m", ""), ink: 0, dash: 0, states: ["IDLE", "RUN", "WAIT", "FAULT"], low: null, high: null,
    limits: { ...noLimits, caution: ["WAIT"], alarm: ["FAULT"], state: "within" as const, since: 0, band: 1, settled: false },
  }; // prettier-ignore
  it("is told by its word, not by its place", () => {
    expect(standing(mode, 1, false)).toEqual({ words: "", level: false });
    expect(standing(mode, 2, true)).toEqual({ words: "caution", level: "caution" });
    expect(standing(mode, 3, true)).toEqual({ words: "alarm", level: true });
    const judged = { ...mode, limits: { ...mode.limits, state: "alarm" as const } };
    expect(standing(judged, 1, false).level).toBe(true);
    expect(serious("alarm")).toBe(true);
  });
});

describe("a lane of thirty-two alike channels", () => {
  it("deals inks and dashes so that no two look alike", () => {
    const many = Array.from({ length: 32 }, (_, n) => ({ ...channel(`t${n}`, "°C"), number: n + 1 }));
    // Four quantities a station: the temperatures stand four apart among all channels.
    const others = (n: number, unit: string) => ({ ...channel(`x${unit}${n}`, unit), number: 100 + n });
    const all = many.flatMap((one, n) => [one, others(n, "bar"), others(n, "kW"), others(n, "V")]);
    const [lane] = lay.arranged(all, lay.PLAIN);
    const looks = lane?.channels.map((one) => `${one.ink} ${one.dash}`) ?? [];
    expect(looks).toHaveLength(32);
    expect(new Set(looks).size).toBe(32);
    expect(lane?.channels[0]?.ink).not.toBe(lane?.channels[1]?.ink);
  });
});
