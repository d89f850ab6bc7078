import { afterEach, describe, expect, it, vi } from "vitest";
import { Past } from "./past";
import { column, grid, logScale, Pixels } from "./pixels";
import { RECORD, Series } from "./samples";
import { statsOf, trendOf } from "./stats";

afterEach(() => vi.unstubAllGlobals());

const wave = (i: number): number => Math.sin(i / 7) * 10 + (i % 13 === 0 ? 5 : 0);

describe("pixels that go on from where they were", () => {
  it("are what they would be from nothing, at every step", () => {
    const series = new Series();
    let kept: Pixels | null = null;
    for (let i = 0; i < 4000; i++) {
      const quality = i % 500 > 470 ? 7 : 0;
      if (i % 700 < 600) series.push(i * 50, quality ? NaN : wave(i), quality);
      if (i % 37) continue;
      const view = grid(i * 50 - 60_000, i * 50, 200);
      if (!kept?.fits(view, 500)) kept = new Pixels(view.width, 500, view.buckets);
      kept.follow(series, view);
      const out = new Array<number | null | undefined>(view.buckets * 2);
      kept.write(out, view);
      const anew = column(series, view, 500);
      // Where a gap begins before the view, what is kept knows it; values are the same in any case.
      out.forEach((value, n) => {
        if (typeof anew[n] === "number" || typeof value === "number")
          if (n > 4) expect(value, `place ${n} at ${i}`).toBe(anew[n]);
      });
    }
  });

  it("go on while the oldest samples are let go", () => {
    const series = new Series();
    const width = 1000;
    const pixels = new Pixels(width, 5000, 400_000 / width);
    for (let i = 0; i < 300_000; i++) {
      series.push(i, i, 0);
      if (i % 10_000 === 0) pixels.follow(series, grid(i - 300_000, i, 300));
    }
    expect(series.dropped).toBeGreaterThan(0);
    const view = grid(0, 300_000, 300);
    const [low, high] = pixels.extremes(view);
    expect(low).toBe(0);
    expect(high).toBeGreaterThan(289_000);
  });

  it("put the records before the samples in memory, and no sample twice", () => {
    const past = new Series();
    const series = new Series();
    for (let i = 0; i < 100; i++) past.push(i * 1000, 1, 0);
    for (let i = 50; i < 150; i++) series.push(i * 1000, 2, 0);
    const view = grid(0, 150_000, 150);
    const pixels = new Pixels(view.width, 5000, view.buckets);
    pixels.follow(series, view, past);
    const out = new Array<number | null | undefined>(view.buckets * 2);
    pixels.write(out, view);
    expect(out.slice(0, 100).every((value) => value === 1)).toBe(true);
    expect(out.slice(100, 300).every((value) => value === 2)).toBe(true);
  });
});

describe("a logarithmic scale", () => {
  it("has whole decades, and none below nothing", () => {
    expect(logScale(0.02, 7, null)).toEqual([0.01, 10]);
    expect(logScale(-5, 7, null)[0]).toBeGreaterThan(0);
    expect(logScale(NaN, NaN, null)).toEqual([0.1, 10]);
    const old: [number, number] = [0.01, 10];
    expect(logScale(0.03, 5, old)).toBe(old);
  });
});

describe("statistics", () => {
  const series = new Series();
  [2, 4, 4, 4, 5, 5, 7, 9].forEach((value, i) => series.push(i * 1000, value, 0));
  series.push(8000, NaN, 7);
  it("count what was measured only", () => {
    const stats = statsOf(series, 0, 9000);
    expect(stats).toMatchObject({ count: 8, mean: 5, min: 2, max: 9 });
    expect(stats.sd).toBeCloseTo(2.138, 3);
    expect(statsOf(series, 8000, 9000).count).toBe(0);
  });
  it("give a slope per hour that does not drown in a large offset", () => {
    const far = new Series();
    for (let i = 0; i < 600; i++) far.push(1.7e12 + i * 1000, 1e6 + i / 600, 0);
    expect(statsOf(far, 1.7e12, 1.7e12 + 600_000).slope).toBeCloseTo(6, 3);
  });
});

describe("a trend", () => {
  const of = (value: (i: number) => number, count = 30): Series => {
    const series = new Series();
    for (let i = 0; i < count; i++) series.push(i * 1000, value(i), 0);
    return series;
  };
  it("is rising or falling where it changes by more than half of its band", () => {
    const way = (value: (i: number) => number, count = 30, before: "" | "rising" = ""): string =>
      trendOf(of(value, count), (count - 1) * 1000, 20_000, 1, before);
    expect(way((i) => i)).toBe("rising");
    expect(way((i) => -i)).toBe("falling");
    expect(way((i) => Math.sin(i) * 0.3)).toBe("");
    expect(way((i) => i, 5)).toBe(""); // too little is known
    expect(way((i) => i * 0.02)).toBe("");
    expect(way((i) => i * 0.02, 30, "rising")).toBe("rising"); // it does not flicker
  });
});

describe("the past", () => {
  const answer = (): { asked: string[] } => {
    const asked: string[] = [];
    vi.stubGlobal("fetch", async (address: string) => {
      asked.push(address);
      const packed = new ArrayBuffer(RECORD);
      const view = new DataView(packed);
      view.setUint32(0, 7 << 8, true);
      view.setBigInt64(8, 5_000_000n, true);
      view.setFloat64(16, 42, true);
      return new Response(packed);
    });
    return { asked };
  };
  it("is fetched for a stretch, and not again while the picture is good", async () => {
    const { asked } = answer();
    const told = vi.fn();
    const past = new Past(told);
    past.want({ start: 1000, end: 101_000 }, 900);
    past.want({ start: 1100, end: 101_100 }, 900);
    await vi.waitFor(() => expect(told).toHaveBeenCalled());
    expect(past.samples.of(7).last()).toMatchObject({ value: 42, time: 5000 });
    past.want({ start: 2000, end: 102_000 }, 900);
    await new Promise((done) => setTimeout(done, 5));
    const before = asked.length;
    past.want({ start: 50_000, end: 150_000 }, 900);
    await vi.waitFor(() => expect(asked.length).toBe(before + 1));
    expect(asked[0]).toBe("/api/history?start=1000000&end=101000000&points=900");
  });
  it("says why it cannot be had, and does not ask at every draw", async () => {
    const fetch = vi.fn(
      async () => new Response('{"detail": "The database does not answer."}', { status: 503 }),
    );
    vi.stubGlobal("fetch", fetch);
    const past = new Past(() => undefined);
    for (let i = 0; i < 5; i++) {
      past.want({ start: 0, end: 100_000 + i }, 900);
      await new Promise((done) => setTimeout(done, 2));
    }
    expect(past.why).toBe("The database does not answer.");
    expect(fetch.mock.calls.length).toBe(1);
    vi.spyOn(Date, "now").mockReturnValue(Date.now() + 11_000);
    past.want({ start: 0, end: 100_000 }, 900);
    expect(fetch.mock.calls.length).toBe(2); // the database may be back
    vi.restoreAllMocks();
    expect(Past.needed({ start: 0, end: 10_000 }, 5000)).toBe(true);
    expect(Past.needed({ start: 4500, end: 10_000 }, 5000)).toBe(false);
  });
});
