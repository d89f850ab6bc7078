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

  it("leaves a torn record alone", () => {
    const samples = new Samples();
    samples.add(pack({ channel: 1, quality: 0, us: 1000n, value: 1 }).slice(0, 20));
    expect(samples.of(1).length).toBe(0);
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
