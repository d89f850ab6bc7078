/** Samples in the browser: the recorder's 24-byte records unpacked into one buffer a channel. */

export const RECORD = 24;
const MAX_SAMPLES = 1 << 18;
/** Milliseconds that are kept for sure of what comes live: the longest window that is drawn from it, and a little more. */
const KEPT = 65 * 60_000;

/** One channel's samples in order of time. Times are milliseconds since 1970. */
export class Series {
  times = new Float64Array(1024);
  values = new Float64Array(1024);
  qualities = new Uint8Array(1024);
  length = 0;
  /** How many were let go at the front: an index that counts from the very first is `dropped` + one of these. */
  dropped = 0;

  /** `whole`: none is let go. */
  constructor(private readonly whole = false) {}

  /** Append a sample; one that is not newer than the last is already here and is left out. */
  push(time: number, value: number, quality: number): void {
    if (this.length && time <= (this.times[this.length - 1] ?? 0)) return;
    if (this.length === this.times.length) this.room();
    this.times[this.length] = time;
    this.values[this.length] = value;
    this.qualities[this.length] = quality;
    this.length++;
  }

  private room(): void {
    const old = this.indexAt((this.times[this.length - 1] ?? 0) - KEPT);
    if (this.whole || (old < this.length >> 2 && this.length < MAX_SAMPLES)) {
      const grown = new Series();
      grown.times = new Float64Array(this.length * 2);
      grown.values = new Float64Array(this.length * 2);
      grown.qualities = new Uint8Array(this.length * 2);
      grown.times.set(this.times);
      grown.values.set(this.values);
      grown.qualities.set(this.qualities);
      this.times = grown.times;
      this.values = grown.values;
      this.qualities = grown.qualities;
      return;
    }
    const gone = Math.max(old, this.length >> 2);
    this.times.copyWithin(0, gone);
    this.values.copyWithin(0, gone);
    this.qualities.copyWithin(0, gone);
    this.length -= gone;
    this.dropped += gone;
  }

  /** The index of the first sample at or after a time. */
  indexAt(time: number): number {
    let low = 0;
    let high = this.length;
    while (low < high) {
      const middle = (low + high) >> 1;
      if ((this.times[middle] ?? 0) < time) low = middle + 1;
      else high = middle;
    }
    return low;
  }

  /** The newest sample, or null. */
  last(): { time: number; value: number; quality: number } | null {
    const i = this.length - 1;
    if (i < 0) return null;
    return { time: this.times[i] ?? 0, value: this.values[i] ?? NaN, quality: this.qualities[i] ?? 0 };
  }
}

/** Which channel is the clock of which, by number: its values say how many seconds after the device's time a message came. */
export type Clocks = ReadonlyMap<number, number>;

/** All channels' samples, by channel number. */
export class Samples {
  readonly series = new Map<number, Series>();

  constructor(
    protected readonly clocks: Clocks = new Map(),
    /** Whether none is let go. */
    readonly all = false,
  ) {}

  /** Of a stretch that is fetched at once: none is let go, however long it is. */
  static whole(): Samples {
    return new Samples(new Map(), true);
  }

  of(channel: number): Series {
    let found = this.series.get(channel);
    if (!found) {
      found = new Series(this.all);
      this.series.set(channel, found);
    }
    return found;
  }

  /** Whether a channel's samples stand at other times than those of their arrival. */
  moved(channel: number): boolean {
    return this.clocks.has(channel);
  }

  /** The same samples at the times their devices gave, for channels that have a clock; it follows what comes. */
  byDevice(clocks: Clocks): Samples {
    return clocks.size ? new DeviceSamples(this, clocks) : this;
  }

  /** Take in packed records (docs/formats/samples.md). */
  add(packed: ArrayBuffer): void {
    const view = new DataView(packed);
    const whole = packed.byteLength - (packed.byteLength % RECORD);
    for (let at = 0; at < whole; at += RECORD) {
      const word = view.getUint32(at, true);
      const time = view.getInt32(at + 12, true) * 4294967296 + view.getUint32(at + 8, true);
      this.of((word >>> 8) & 0xffff).push(time / 1000, view.getFloat64(at + 16, true), word & 0xff);
    }
  }
}

/** Samples moved to the times of their devices. */
class DeviceSamples extends Samples {
  private readonly next = new Map<number, number>();

  constructor(
    private readonly arrived: Samples,
    clocks: Clocks,
  ) {
    super(clocks, arrived.all);
  }

  override of(channel: number): Series {
    const clock = this.clocks.get(channel);
    const series = this.arrived.of(channel);
    if (clock === undefined) return series;
    const made = super.of(channel);
    const late = this.arrived.of(clock);
    let index = Math.max(0, (this.next.get(channel) ?? 0) - series.dropped);
    for (; index < series.length; index++) {
      const time = series.times[index] ?? 0;
      const at = late.indexAt(time);
      // The clock's sample of the same message; where samples are thinned out, the nearest one.
      const mine = late.times[at] === time || at === 0 ? at : at - 1;
      const known = mine < late.length && (late.qualities[mine] ?? 9) <= 1;
      const seconds = known ? (late.values[mine] ?? 0) : 0;
      made.push(time - seconds * 1000, series.values[index] ?? NaN, series.qualities[index] ?? 0);
    }
    this.next.set(channel, series.dropped + index);
    return made;
  }
}
