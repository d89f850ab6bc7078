/** What each channel measured at a time, exactly: from the recorder's memory and the records, as it stands in the CSV. */

import { api, got, type Schemas } from "../api/client";
import { askOnce } from "../api/queries";

export type SampleAt = Schemas["SampleAt"];

interface Answer {
  samples: Map<string, SampleAt>;
  at: number;
  /** Whether a sample of that time may still be on its way. */
  young: boolean;
}

/** Milliseconds for which the answer to another time stands while the pointer moves on. */
const STANDS = 300;
const YOUNG = 3_000;
/** Milliseconds after which a young answer is asked for again. */
const RIPENS = 500;
const KEPT = 24;

/** Fetches what cursors need, one request at a time, the newest first. */
export class Exact {
  /** Why nothing older is known, "" where all is. */
  why = "";
  private readonly answers = new Map<number, Answer>();
  private wanted: number[] = [];
  private last: Answer | null = null;
  private flying: number | null = null;
  private failed = -Infinity;
  private readonly listeners = new Set<() => void>();

  /** `run`: of a run of the logbook; else of the bench. `now`: by the recorder's clock, in milliseconds. */
  constructor(
    private readonly now: () => number,
    private readonly run?: string,
  ) {}

  readonly subscribe = (listener: () => void): (() => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };

  /** The samples of a time in milliseconds, by channel id; null while they are on their way. `moving`: those of a moment ago
   * will do meanwhile. */
  at(time: number, moving: boolean): Map<string, SampleAt> | null {
    const key = Math.round(time * 1000);
    const found = this.answers.get(key);
    if (found && !(found.young && Date.now() - found.at > RIPENS)) return found.samples;
    if (Date.now() - this.failed > 1000) this.want(key);
    if (found) return found.samples;
    return moving && this.last && Date.now() - this.last.at < STANDS ? this.last.samples : null;
  }

  private want(key: number): void {
    if (key === this.flying) return;
    this.wanted = [...this.wanted.filter((one) => one !== key), key].slice(-2);
    if (this.flying === null) void this.fetch();
  }

  private async fetch(): Promise<void> {
    for (let key = this.wanted.pop(); key !== undefined; key = this.wanted.pop()) {
      this.flying = key;
      const moment = Math.max(0, key);
      try {
        const answer = await askOnce(["samples at", this.run, moment], (signal) => this.ask(moment, signal));
        this.why = answer.why;
        const young = !this.run && key / 1000 > this.now() - YOUNG;
        this.last = {
          samples: new Map(answer.samples.map((one) => [one.id, one])),
          at: Date.now(),
          young,
        };
        this.answers.set(key, this.last);
        // A view that stands still asks no more by itself.
        if (young) setTimeout(() => this.tell(), RIPENS + 50);
        for (const old of this.answers.keys()) if (this.answers.size > KEPT) this.answers.delete(old);
      } catch (error) {
        this.why = error instanceof Error ? error.message : String(error);
        this.failed = Date.now();
      }
      this.tell();
    }
    this.flying = null;
  }

  private ask(moment: number, signal: AbortSignal): Promise<Schemas["SamplesAt"]> {
    const query = { moment };
    const { run } = this;
    return run
      ? got(api.GET("/api/runs/{key}/samples/at", { params: { path: { key: run }, query }, signal }))
      : got(api.GET("/api/samples/at", { params: { query }, signal }));
  }

  private tell(): void {
    this.listeners.forEach((listener) => listener());
  }
}
