/** What lies beyond the samples in memory: the bench's records, fetched for the stretch that is shown. */

import { samplesFrom } from "../api/client";
import { askOnce } from "../api/queries";
import { Samples } from "./samples";

export interface Stretch {
  start: number;
  end: number;
}

/** Milliseconds after which what could not be had is asked for again. */
const AGAIN = 10_000;
/** How old a picture may get, as a share of its stretch. */
const STALE = 0.02;

/** Fetches what a view needs, one request at a time, and says when it is there. */
export class Past {
  samples = Samples.whole();
  /** Changes whenever `samples` does. */
  version = 0;
  why = "";
  private have: Stretch | null = null;
  private points = 0;
  private busy = false;
  private failed = -Infinity;
  private wanted: { stretch: Stretch; points: number } | null = null;

  constructor(private readonly changed: () => void) {}

  /** Whether a stretch needs the records: it begins well before what is in memory. */
  static needed(stretch: Stretch, atHand: number): boolean {
    return stretch.start < atHand - 1000;
  }

  /** Say which stretch is shown, in milliseconds, and how many pixels wide. */
  want(stretch: Stretch, points: number): void {
    const span = stretch.end - stretch.start;
    const good =
      this.have &&
      this.points === points &&
      stretch.start >= this.have.start - 1 &&
      stretch.end <= this.have.end + span * STALE &&
      this.have.end - this.have.start < span * 1.5;
    if (good || Date.now() - this.failed < AGAIN) return;
    this.wanted = { stretch, points };
    if (!this.busy) void this.fetch();
  }

  private async fetch(): Promise<void> {
    this.busy = true;
    while (this.wanted) {
      const { stretch, points } = this.wanted;
      this.wanted = null;
      const start = Math.max(0, Math.round(stretch.start * 1000));
      const end = Math.round(stretch.end * 1000);
      try {
        const address = `/api/history?start=${start}&end=${end}&points=${points}`;
        const packed = await askOnce([address], (signal) => samplesFrom(address, signal));
        const samples = Samples.whole();
        samples.add(packed);
        this.samples = samples;
        this.why = "";
        this.have = stretch;
      } catch (error) {
        // Not asked for again at every draw, but before long: the database may be back.
        this.why = error instanceof Error ? error.message : String(error);
        this.failed = Date.now();
        this.have = null;
      }
      this.points = points;
      this.version++;
      this.changed();
    }
    this.busy = false;
  }
}
