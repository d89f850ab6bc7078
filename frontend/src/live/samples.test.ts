import { describe, expect, it } from "vitest";
import { RECORD, Samples, Series } from "./samples";

/** Records as the recorder packs them. */
function pack(
  ...records: { channel: number; quality: number; us: bigint; value: number; sequence?: bigint }[]
): ArrayBuffer {
  const view = new DataView(new ArrayBuffer(records.length * RECORD));
  records.forEach((record, i) => {
    const word = ((record.sequence ?? 1n) << 24n) | (BigInt(record.channel) << 8n) | BigInt(record.quality);
    view.setBigUint64(i * RECORD, word, true);
    view.setBigInt64(i * RECORD + 8, record.us, true);
    view.setFloat64(i * RECORD + 16, record.value, true);
  });
  return view.buffer;
}

describe("Samples", () => {
  it("unpacks channel, quality, time and value, whatever the sequence number", () => {
    const samples = new Samples();
    samples.add(
      pack({ channel: 513, quality: 7, us: 1795416791420240n, value: 1.5, sequence: 2n ** 39n + 5n }),
    );
    expect(samples.of(513).last()).toEqual({ time: 1795416791420.24, value: 1.5, quality: 7 });
  });

  it("leaves out what is here already, so that history and live may overlap", () => {
    const samples = new Samples();
    const one = pack(
      { channel: 1, quality: 0, us: 1000n, value: 1 },
      { channel: 1, quality: 0, us: 2000n, value: 2 },
    );
    samples.add(one);
    samples.add(one);
    expect(samples.of(1).length).toBe(2);
  });

  it("of a run or of the past are kept whole, however long that is", () => {
    const ten = 10_000_000n;
    const night = pack(
      ...Array.from({ length: 2880 }, (_, n) => ({ channel: 1, quality: 0, us: BigInt(n) * ten, value: n })),
    );
    const samples = Samples.whole();
    samples.add(night);
    expect([samples.of(1).length, samples.of(1).times[0], samples.of(1).values[0]]).toEqual([2880, 0, 0]);
    const moved = samples.byDevice(new Map([[1, 2]]));
    expect(moved.of(1).length).toBe(2880);
  });

  it("leaves a torn record alone", () => {
    const samples = new Samples();
    samples.add(pack({ channel: 1, quality: 0, us: 1000n, value: 1 }).slice(0, 20));
    expect(samples.of(1).length).toBe(0);
  });
});

describe("samples at the times of their devices", () => {
  const add = (samples: Samples, ms: number, value: number, late: number, quality = 0): void =>
    samples.add(
      pack(
        { channel: 1, quality: 0, us: BigInt(ms * 1000), value },
        { channel: 2, quality, us: BigInt(ms * 1000), value: late },
        { channel: 3, quality: 0, us: BigInt(ms * 1000), value },
      ),
    );
  it("are moved by their own message's delay, as they come", () => {
    const samples = new Samples();
    const moved = samples.byDevice(new Map([[1, 2]]));
    add(samples, 1000, 5, 0.25);
    expect([...moved.of(1).times.slice(0, 1)]).toEqual([750]);
    add(samples, 2000, 6, 0.5);
    add(samples, 2100, 7, 0.125);
    const own = moved.of(1);
    expect([...own.times.slice(0, own.length)]).toEqual([750, 1500, 1975]);
    expect([...own.values.slice(0, own.length)]).toEqual([5, 6, 7]);
    // A channel without a clock stays where it is.
    expect(moved.of(3)).toBe(samples.of(3));
  });
  it("stay at their arrival where the clock says nothing", () => {
    const samples = new Samples();
    const moved = samples.byDevice(new Map([[1, 2]]));
    add(samples, 1000, 5, 0.25, 5);
    expect(moved.of(1).last()?.time).toBe(1000);
    expect(samples.byDevice(new Map())).toBe(samples);
  });
  it("take the nearest clock where samples are thinned out", () => {
    const samples = new Samples();
    samples.add(
      pack(
        { channel: 2, quality: 0, us: 1_000_000n, value: 0.5 },
        { channel: 1, quality: 0, us: 1_100_000n, value: 9 },
      ),
    );
    expect(
      samples
        .byDevice(new Map([[1, 2]]))
        .of(1)
        .last()?.time,
    ).toBe(600);
  });
});

describe("Series", () => {
  it("forgets the oldest instead of growing for ever", () => {
    const series = new Series();
    for (let i = 0; i < 700_000; i++) series.push(i, i, 0);
    expect(series.times.length).toBeLessThanOrEqual(1 << 18);
    expect(series.last()?.value).toBe(699_999);
    expect(series.times[0]).toBeGreaterThan(400_000);
  });

  it("finds times", () => {
    const series = new Series();
    [10, 20, 30].forEach((time) => series.push(time, 0, 0));
    expect([5, 10, 11, 30, 31].map((time) => series.indexAt(time))).toEqual([0, 0, 1, 2, 3]);
  });
});
