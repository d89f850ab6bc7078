/** The live connection: socket to buffers, past React. React hears of status and tape only. */

import { useSyncExternalStore } from "react";
import { useSyncExternalStoreWithSelector } from "use-sync-external-store/with-selector";
import { type LiveMessage, type RunStatus, samplesFrom, type Status, type TapeLine } from "../api/client";
import { type Change, changed } from "./changes";
import { setClock, setZone } from "../look/zone";
import { Samples } from "./samples";

const TAPE_LINES = 2000;
const HISTORY_SECONDS = 3600;
/** Milliseconds without a word after which an open line counts as silent: the bench speaks four times a second. */
const SILENT = 4000;
/** Milliseconds without a beat after which the page goes on by its own clock. */
const OWN_BEAT = 400;
/** So many words of the bench tell how far its clock is from this computer's; closer than ALIKE milliseconds they are one. */
const HEARD = 20;
const ALIKE = 25;
/** Milliseconds of quiet after which a new line of the tape is shown at once. */
const QUIET = 300;

export interface LiveState {
  /** "joining" until the first word, then whether server and recorder are heard; "silent": the line stands, and says nothing. */
  line: "joining" | "live" | "silent" | "no server" | "no recorder" | "refused";
  since: number;
  why: string;
  status: Status | null;
  /** The run that has ended last while this page was open, whoever ended it, until that was seen or another one is on. */
  ended: Ended | null;
}

export interface Ended {
  /** As it was heard of last. */
  run: RunStatus;
  /** When its end was seen, in milliseconds. */
  at: number;
}

/** One connection for the whole page. */
export class Connection {
  readonly samples = new Samples();
  tape: TapeLine[] = [];
  leftOut = 0;
  private begun: RunStatus | null = null; // here, and not heard of yet
  private state: LiveState = { line: "joining", since: Date.now(), why: "", status: null, ended: null };
  private readonly listeners = new Set<() => void>();
  private readonly tapeListeners = new Set<() => void>();
  private waiting: ArrayBuffer[] | null = [];
  private offset = 0;
  private apart: number[] = [];
  private retry = 300;

  private heard = 0;
  private told = 0;
  private asking = false;
  /** Whether a page draws the past, and whether it is here. */
  private drawn = false;
  private filled = false;
  private open = false;
  private readonly beatListeners = new Set<() => void>();
  private beats = 0;
  private beaten = 0;
  private ownBeat: ReturnType<typeof setInterval> | undefined;
  private untold = false;
  private toldTape = 0;

  /** Ends when the first word is here, or cannot be had. */
  async start(): Promise<void> {
    setClock(() => this.now());
    this.join();
    // An open socket may say nothing for ever: a server that hangs, a laptop's lid.
    setInterval(() => {
      if (this.state.line === "live" && Date.now() - this.heard > SILENT) this.become("silent", "");
    }, 1000);
    await this.begin();
  }

  /** The first word is asked for with the page itself, before the line stands. */
  private async begin(): Promise<void> {
    const response = await fetch("/api/bench").catch(() => null);
    if (!response?.ok || this.state.line !== "joining") return;
    const message = (await response.json().catch(() => null)) as LiveMessage | null;
    if (message && this.snapshot().line === "joining") this.text(message);
  }

  private join(): void {
    const scheme = location.protocol === "https:" ? "wss" : "ws";
    const socket = new WebSocket(`${scheme}://${location.host}/api/live`);
    socket.binaryType = "arraybuffer";
    socket.onopen = () => {
      this.retry = 300;
      this.open = true;
      void this.catchUp();
    };
    socket.onmessage = (event: MessageEvent<ArrayBuffer | string>) => {
      if (typeof event.data === "string") this.text(JSON.parse(event.data) as LiveMessage);
      else if (this.waiting) this.waiting.push(event.data);
      else this.samples.add(event.data);
    };
    socket.onclose = () => {
      this.open = false;
      this.waiting = [];
      if (this.state.line !== "refused") this.become("no server", "");
      void this.askWhy();
      setTimeout(() => this.join(), this.retry);
      this.retry = Math.min(this.retry * 1.6, 4000);
    };
  }

  /** A socket that is refused says no more than one that is lost. */
  private async askWhy(): Promise<void> {
    const response = await fetch("/api/bench").catch(() => null);
    if (response?.status === 401) this.become("refused", "");
    else if (this.state.line === "refused") this.become("no server", "");
  }

  /** Milliseconds since 1970 by the recorder's clock. */
  now(): number {
    return Date.now() + this.offset;
  }

  /** From when on every channel's samples are in memory; Infinity where there is none. A fast channel lets its old ones go sooner. */
  oldest(): number {
    let oldest = Infinity;
    let whole = -Infinity;
    for (const series of this.samples.series.values()) {
      if (!series.length) continue;
      const first = series.times[0] ?? Infinity;
      oldest = Math.min(oldest, first);
      if (series.dropped) whole = Math.max(whole, first);
    }
    return Math.max(oldest, whole);
  }

  /** When the newest sample in memory was taken; -Infinity where there is none. */
  private newest(): number {
    let newest = -Infinity;
    for (const series of this.samples.series.values())
      newest = Math.max(newest, series.last()?.time ?? -Infinity);
    return newest;
  }

  /** The last hour is wanted: fetched once, by the first page that draws it. */
  wantPast(): void {
    if (this.drawn) return;
    this.drawn = true;
    if (this.open) void this.catchUp();
  }

  /** Fill in what was measured before the page opened, or while the line was down. */
  private async catchUp(): Promise<void> {
    this.waiting = [];
    try {
      // Samples that are not newer than the last are left out: what came live meanwhile would keep the past from going in.
      if (this.drawn && !this.filled) this.samples.series.clear();
      if (this.drawn) {
        // No more than was missed: a browser that does not keep up must not be given an hour again and again.
        const missed = this.filled ? Math.ceil((this.now() - this.newest()) / 1000) + 10 : HISTORY_SECONDS;
        const seconds = Math.min(HISTORY_SECONDS, missed);
        this.samples.add(await samplesFrom(`/api/live/history?seconds=${seconds}&points=4000`));
        this.filled = true;
      }
      const response = await fetch("/api/live/tape?last=200");
      if (response.ok) this.lines((await response.json()) as TapeLine[], 0);
    } catch {
      // The live stream goes on without its past.
    }
    for (const packed of this.waiting ?? []) this.samples.add(packed);
    this.waiting = null;
  }

  private text(message: LiveMessage): void {
    this.heard = Date.now();
    if (message.kind === "tape" && message.tape) this.lines(message.tape.lines, message.tape.left_out ?? 0);
    else if (message.kind === "skipped") void this.catchUp();
    else if (message.kind === "change") this.change(message);
    else if (message.kind === "away") this.become("no recorder", message.why ?? "", message.status);
    else if (message.status) {
      this.at(message.status.at);
      this.become("live", message.why ?? "", message.status);
    }
    if (message.kind !== "tape") this.beat();
  }

  private at(time: number): void {
    this.told = time;
    // A word can only be late: what came soonest says best how far the clocks are apart.
    this.apart = [...this.apart.slice(1 - HEARD), time / 1000 - Date.now()];
    const best = Math.max(...this.apart);
    if (Math.abs(best - this.offset) > ALIKE) this.offset = best;
  }

  /** When the bench was heard last, in milliseconds by its own clock. */
  heardAt(): number {
    return this.told / 1000;
  }

  /** What has changed in the status. Where nothing has but its time, nobody is told. */
  private change({ since, changes, why }: LiveMessage): void {
    const { status, line } = this.state;
    if (!status || since !== this.told) return void this.whole();
    const time = changes.find(([path]) => path.length === 1 && path[0] === "at");
    const others = (changes as Change[]).filter((one) => one[0][0] !== "at");
    this.at(Number(time?.[1] ?? since));
    if (others.length || line !== "live" || why !== this.state.why)
      this.become("live", why, changed(status, others));
  }

  /** Changes of another status than this one were told: ask for all of it. */
  private async whole(): Promise<void> {
    if (this.asking) return;
    this.asking = true;
    const response = await fetch("/api/bench").catch(() => null);
    this.asking = false;
    if (response?.ok) this.text((await response.json()) as LiveMessage);
  }

  private lines(lines: TapeLine[], leftOut: number): void {
    const last = this.tape.at(-1)?.n ?? 0;
    const restarted = lines.length > 0 && (lines.at(-1)?.n ?? 0) < last - 100_000;
    const fresh = restarted ? lines : lines.filter((line) => line.n > last);
    if (!fresh.length && !leftOut) return;
    this.tape = [...(restarted ? [] : this.tape), ...fresh].slice(-TAPE_LINES);
    this.leftOut += leftOut;
    this.tellTape();
  }

  /** Each time the tape is shown its whole page is laid out: it moves on with everything else. */
  private tellTape(): void {
    this.untold = true;
    if (Date.now() - this.toldTape > QUIET) this.showTape();
  }

  private showTape(): void {
    if (!this.untold) return;
    this.untold = false;
    this.toldTape = Date.now();
    this.tapeListeners.forEach((listener) => listener());
  }

  /** The page moves on with the bench's word, four times a second: whatever follows time or tape, at once and together. */
  private beat(): void {
    this.beats++;
    this.beaten = Date.now();
    this.beatListeners.forEach((listener) => listener());
    this.showTape();
  }

  private become(
    line: LiveState["line"],
    why: string,
    status: Status | null | undefined = this.state.status,
  ): void {
    if (status?.zone !== undefined) setZone(status.zone);
    const before = this.state.line;
    // Not heard since the last word that came.
    const since = line === before ? this.state.since : line === "silent" ? this.heard : Date.now();
    this.state = { line, since, why, status: status ?? null, ended: this.endedBy(line, status ?? null) };
    this.listeners.forEach((listener) => listener());
  }

  private endedBy(line: LiveState["line"], status: Status | null): Ended | null {
    const { ended, status: last } = this.state;
    // That nothing is heard does not mean that it has ended.
    if (line !== "live" || !status) return ended;
    const begun = this.begun;
    if (status.run || (begun && status.at > begun.begun_at)) this.begun = null;
    if (last?.run && status.run?.id !== last.run.id) return { run: last.run, at: status.at / 1000 };
    // Over before it was heard of.
    if (begun && !status.run && status.at > begun.begun_at) return { run: begun, at: status.at / 1000 };
    return status.run ? null : ended;
  }

  /** A run was begun here. */
  readonly began = (run: RunStatus): void => {
    this.begun = run;
    this.seen();
  };

  /** Somebody has seen that a run has ended. */
  readonly seen = (): void => {
    this.state = { ...this.state, ended: null };
    this.listeners.forEach((listener) => listener());
  };

  readonly subscribe = (listener: () => void): (() => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };
  readonly snapshot = (): LiveState => this.state;
  readonly subscribeTape = (listener: () => void): (() => void) => {
    this.tapeListeners.add(listener);
    return () => this.tapeListeners.delete(listener);
  };
  readonly tapeSnapshot = (): TapeLine[] => this.tape;
  readonly subscribeBeat = (listener: () => void): (() => void) => {
    this.beatListeners.add(listener);
    this.ownBeat ??= setInterval(() => {
      if (Date.now() - this.beaten > OWN_BEAT) this.beat();
    }, OWN_BEAT / 2);
    return () => {
      this.beatListeners.delete(listener);
      if (this.beatListeners.size > 0) return;
      clearInterval(this.ownBeat);
      this.ownBeat = undefined;
    };
  };
  /** How many beats there were. */
  readonly beatSnapshot = (): number => this.beats;
}

export const connection = new Connection();

/** What a component shows of the live state: it is redrawn only where that has changed. Parts that have not changed stay the
 * very same objects; what is rebuilt of them needs `same`. */
export const useLive = <T>(
  pick: (live: LiveState) => T,
  same: (one: T, other: T) => boolean = Object.is,
): T => useSyncExternalStoreWithSelector(connection.subscribe, connection.snapshot, undefined, pick, same);

/** Whether two lists, or two objects, hold the very same things. */
export function alike<T extends object>(one: T, other: T): boolean {
  const [mine, others] = [Object.values(one) as unknown[], Object.values(other) as unknown[]];
  return mine.length === others.length && mine.every((each, index) => Object.is(each, others[index]));
}

export const useTape = (): TapeLine[] =>
  useSyncExternalStore(connection.subscribeTape, connection.tapeSnapshot);
/** Redraws a component at every beat of the page; false: it stands still. */
export const useBeat = (on = true): number =>
  useSyncExternalStore(on ? connection.subscribeBeat : never, on ? connection.beatSnapshot : zero);
const never = () => () => undefined;
const zero = () => 0;
