import { afterEach, describe, expect, it, vi } from "vitest";
import { Exact } from "./exact";
import { benchReadings, isGood, runReadings, valueAt } from "./readings";
import { Samples, Series } from "./samples";

afterEach(() => vi.unstubAllGlobals());

const flow = { number: 1, id: "flow", interval_s: 1 };

/** A server that has a sample each second, whose value is its second. */
function records(): string[] {
  const asked: string[] = [];
  vi.stubGlobal("fetch", (request: Request) => {
    const { pathname, searchParams } = new URL(request.url);
    const moment = Number(searchParams.get("moment"));
    asked.push(`${pathname} ${moment}`);
    const second = Math.floor(moment / 1e6);
    const quality = second === 5 ? 6 : 0;
    const sample = { id: "flow", time: second * 1e6, value: quality ? null : second, quality };
    return Promise.resolve(Response.json({ moment, samples: [sample], why: "" }));
  });
  return asked;
}

describe("the value at a time", () => {
  it("is the newest sample, and none where that is too old", () => {
    const series = new Series();
    series.push(1000, 5, 0);
    series.push(2000, 6, 0);
    expect(valueAt(flow, series, 2500)).toMatchObject({ value: 6, stale: false });
    expect(valueAt(flow, series, 2000)).toMatchObject({ value: 6 });
    expect(valueAt(flow, series, 1999)).toMatchObject({ value: 5 });
    expect(valueAt(flow, series, 5001).stale).toBe(true);
    expect(isGood(valueAt(flow, series, 500))).toBe(false);
  });
});

describe("readings of the bench", () => {
  it("are what came last at the pen's end, and the records' samples at a cursor", async () => {
    const asked = records();
    const samples = new Samples();
    // The picture's samples are thinned: between two of them the records have more.
    samples.of(1).push(1000, 1, 0);
    samples.of(1).push(9000, 9, 0);
    const exact = new Exact(() => 1e9);
    const live = benchReadings(samples, exact, true);
    expect(live.of(flow, 9500, null)).toMatchObject({ value: 9, stale: false });
    expect(live.judged(null)).toBe(true);
    expect(live.judged(3200)).toBe(false);
    expect(live.of(flow, 9500, 3200)).toMatchObject({ coming: true });
    await vi.waitFor(() => expect(live.of(flow, 9500, 3200)).toMatchObject({ value: 3, stale: false }));
    expect(asked).toEqual(["/api/samples/at 3200000"]);
    // What was not measured has its reason, and no number.
    live.of(flow, 9500, 5500);
    await vi.waitFor(() => expect(live.of(flow, 9500, 5500)).toMatchObject({ quality: 6 }));
    expect(isGood(live.of(flow, 9500, 5500))).toBe(false);
  });

  it("of a view that stands still are those of its end, not judged by limits of today", async () => {
    records();
    const still = benchReadings(new Samples(), new Exact(() => 1e9), false);
    still.of(flow, 7300, null);
    await vi.waitFor(() => expect(still.of(flow, 7300, null)).toMatchObject({ value: 7 }));
    expect(still.judged(null)).toBe(false);
  });

  it("of a view that has just been frozen are asked for again, until no sample of its end can come any more", async () => {
    const asked = records();
    vi.useFakeTimers();
    let now = 7300;
    const still = benchReadings(new Samples(), new Exact(() => now), false);
    still.subscribe(() => still.of(flow, 7300, null));
    still.of(flow, 7300, null);
    await vi.advanceTimersByTimeAsync(600);
    expect(asked).toHaveLength(2);
    now = 10_400;
    await vi.advanceTimersByTimeAsync(600);
    expect(asked).toHaveLength(3);
    await vi.advanceTimersByTimeAsync(9000);
    expect(asked).toHaveLength(3);
    vi.useRealTimers();
  });

  it("follow the pointer with what was there a moment ago, but never the second cursor", async () => {
    records();
    const exact = new Exact(() => 1e9);
    const live = benchReadings(new Samples(), exact, true);
    live.of(flow, 9500, 3200);
    await vi.waitFor(() => expect(live.of(flow, 9500, 3200).value).toBe(3));
    expect(live.of(flow, 9500, 4200, true).value).toBe(3);
    expect(live.of(flow, 9500, 6200, false).coming).toBe(true);
  });
});

describe("readings of a run", () => {
  it("are its exact means, which states have none of, and its samples at a cursor", async () => {
    const asked = records();
    const means = new Map<number, number | null>([[1, 10.39], [2, null]]); // prettier-ignore
    const run = runReadings(new Samples(), new Exact(() => 0, "r"), means);
    expect(run.of(flow, 0, null)).toMatchObject({ value: 10.39, stale: false });
    expect(isGood(run.of({ ...flow, number: 2 }, 0, null))).toBe(false);
    expect(isGood(run.of({ ...flow, states: ["a"] }, 0, null))).toBe(false);
    run.of(flow, 0, 3200);
    await vi.waitFor(() => expect(run.of(flow, 0, 3200).value).toBe(3));
    expect(asked).toEqual(["/api/runs/r/samples/at 3200000"]);
  });
});
