import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { RunStatus } from "../api/client";
import { Connection } from "./connection";
import { RECORD } from "./samples";

class FakeSocket {
  static all: FakeSocket[] = [];
  binaryType = "";
  onopen: () => void = () => undefined;
  onclose: () => void = () => undefined;
  onmessage: (event: { data: ArrayBuffer | string }) => void = () => undefined;
  constructor(readonly address: string) {
    FakeSocket.all.push(this);
  }
  say(message: object): void {
    this.onmessage({ data: JSON.stringify(message) });
  }
}

/** One sample of channel 1, at so many seconds. */
function sample(seconds: number, value: number): ArrayBuffer {
  const view = new DataView(new ArrayBuffer(RECORD));
  view.setBigUint64(0, 1n << 8n, true);
  view.setBigInt64(8, BigInt(seconds) * 1_000_000n, true);
  view.setFloat64(16, value, true);
  return view.buffer;
}

const line = (n: number, text = "x") => ({ n, at: n * 1000, link: "a", kind: "in", text });
let history: ArrayBuffer[];

beforeEach(() => {
  vi.useFakeTimers();
  FakeSocket.all = [];
  history = [];
  vi.stubGlobal("WebSocket", FakeSocket);
  vi.stubGlobal("fetch", async (address: string) => {
    if (address.startsWith("/api/live/history")) return new Response(history.shift() ?? new ArrayBuffer(0));
    return new Response(JSON.stringify([line(1), line(2)]));
  });
});
afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

function joined(): { connection: Connection; socket: FakeSocket } {
  const connection = new Connection();
  connection.wantPast();
  connection.start();
  const socket = FakeSocket.all.at(-1);
  if (!socket) throw new Error("no socket");
  return { connection, socket };
}

describe("the live connection", () => {
  it("has the past before the present, whatever comes first", async () => {
    history = [sample(10, 1)];
    const { connection, socket } = joined();
    socket.onopen();
    socket.onmessage({ data: sample(11, 2) }); // while the history is on its way
    await vi.advanceTimersByTimeAsync(10);
    const series = connection.samples.of(1);
    expect(Array.from(series.values.slice(0, series.length))).toEqual([1, 2]);
    socket.onmessage({ data: sample(12, 3) });
    expect(series.last()?.value).toBe(3);
  });

  it("tells when the server is lost, joins again, and fills the hole", async () => {
    history = [sample(10, 1)];
    const { connection, socket } = joined();
    socket.onopen();
    await vi.advanceTimersByTimeAsync(10);
    socket.say({ kind: "status", status: { at: Date.now() * 1000, instruments: [] } });
    expect(connection.snapshot().line).toBe("live");
    socket.onclose();
    expect(connection.snapshot().line).toBe("no server");
    expect(connection.snapshot().status).not.toBeNull(); // what was known stays on screen
    history = [sample(20, 2)];
    await vi.advanceTimersByTimeAsync(1000);
    expect(FakeSocket.all).toHaveLength(2);
    FakeSocket.all[1]?.onopen();
    await vi.advanceTimersByTimeAsync(10);
    expect(connection.samples.of(1).length).toBe(2);
  });

  it("waits longer between attempts, but never for ever", async () => {
    joined();
    for (let i = 0; i < 12; i++) {
      FakeSocket.all.at(-1)?.onclose();
      await vi.advanceTimersByTimeAsync(4001);
    }
    expect(FakeSocket.all.length).toBe(13);
  });

  it("says when the recorder is away, and since when", () => {
    const { connection, socket } = joined();
    vi.setSystemTime(5000);
    socket.say({ kind: "away", why: "The recorder does not answer.", status: null });
    vi.setSystemTime(9000);
    socket.say({ kind: "away", why: "The recorder does not answer.", status: null });
    expect(connection.snapshot()).toMatchObject({ line: "no recorder", since: 5000 });
  });

  it("counts as silent when the line stands and says nothing, since the last word", async () => {
    vi.setSystemTime(100_000);
    const { connection, socket } = joined();
    socket.say({ kind: "status", status: { at: Date.now() * 1000, instruments: [] } });
    await vi.advanceTimersByTimeAsync(3_000);
    expect(connection.snapshot().line).toBe("live");
    await vi.advanceTimersByTimeAsync(3_000);
    expect(connection.snapshot()).toMatchObject({ line: "silent", since: 100_000 });
    socket.say({ kind: "status", status: { at: Date.now() * 1000, instruments: [] } });
    expect(connection.snapshot().line).toBe("live");
  });

  it("remembers a run that has ended, whoever ended it, until that was seen", () => {
    const { connection, socket } = joined();
    const say = (run: object | null): void =>
      socket.say({ kind: "status", status: { at: 5_000_000, instruments: [], run } });
    const ended = (): unknown => connection.snapshot().ended?.run;
    say({ id: "a", rows: 1 });
    say({ id: "a", rows: 7 });
    socket.say({ kind: "away", why: "gone", status: null });
    expect(ended()).toBeUndefined(); // that it is not heard of does not mean that it has ended
    say({ id: "a", rows: 9 });
    say(null);
    expect(ended()).toEqual({ id: "a", rows: 9 });
    say(null);
    expect(connection.snapshot().ended?.at).toBe(5000);
    connection.seen();
    expect(ended()).toBeUndefined();
    say({ id: "b" });
    say({ id: "c" });
    expect(ended()).toEqual({ id: "b" });
    say({ id: "c" });
    expect(ended()).toBeUndefined();
  });

  it("says of a run begun here that it has ended, though it was over before it was heard of", () => {
    const { connection, socket } = joined();
    const say = (at: number, run: object | null): void =>
      socket.say({ kind: "status", status: { at, instruments: [], run } });
    const ended = (): string | undefined => connection.snapshot().ended?.run.id;
    connection.began({ id: "a", begun_at: 5_000_000 } as RunStatus);
    say(4_900_000, null); // from before it was begun
    expect(ended()).toBeUndefined();
    say(5_200_000, null);
    expect(ended()).toBe("a");
    connection.seen();
    connection.began({ id: "b", begun_at: 6_000_000 } as RunStatus);
    say(6_100_000, { id: "b" });
    expect(ended()).toBeUndefined();
  });

  it("says when this browser may not use the bench any more", async () => {
    vi.stubGlobal("fetch", () => Promise.resolve(new Response("{}", { status: 401 })));
    const { connection, socket } = joined();
    socket.onclose();
    await vi.advanceTimersByTimeAsync(10);
    expect(connection.snapshot().line).toBe("refused");
    FakeSocket.all.at(-1)?.onclose();
    await vi.advanceTimersByTimeAsync(10);
    expect(connection.snapshot().line).toBe("refused");
  });

  it("fetches the hour once, and only for a page that draws it; after a loss only what was missed", async () => {
    const asked: string[] = [];
    vi.stubGlobal("fetch", async (address: string) => {
      asked.push(address);
      return new Response(address.includes("tape") ? "[]" : new ArrayBuffer(0));
    });
    const connection = new Connection();
    connection.start();
    const past = (): string[] => asked.filter((one) => one.includes("history"));
    const socket = (): FakeSocket => FakeSocket.all.at(-1) as FakeSocket;
    socket().onopen();
    await vi.advanceTimersByTimeAsync(10);
    expect(past()).toEqual([]);
    connection.wantPast();
    connection.wantPast();
    await vi.advanceTimersByTimeAsync(10);
    expect(past()).toEqual(["/api/live/history?seconds=3600&points=4000"]);
    socket().onmessage({ data: sample(Math.floor(Date.now() / 1000), 1) });
    socket().onclose();
    await vi.advanceTimersByTimeAsync(20_000);
    socket().onopen();
    await vi.advanceTimersByTimeAsync(10);
    expect(past()[1]).toMatch(/seconds=3[01]&points=4000$/);
  });

  it("hears of changes, renders nothing where there is none, and asks for the whole where it missed one", async () => {
    let asked = 0;
    vi.stubGlobal("fetch", async () => {
      asked++;
      return Response.json({
        kind: "status",
        status: { at: 40, run: { rows: 9 }, instruments: [] },
        why: "",
      });
    });
    const { connection, socket } = joined();
    asked = 0; // the page itself asks once, at its beginning
    const told = vi.fn();
    connection.subscribe(told);
    socket.say({ kind: "status", why: "", status: { at: 10, run: { rows: 1 }, instruments: [] } });
    const before = connection.snapshot().status;
    socket.say({ kind: "change", since: 10, why: "", changes: [[["at"], 20]] });
    expect(told).toHaveBeenCalledTimes(1);
    expect(connection.snapshot().status).toBe(before);
    expect(connection.heardAt()).toBe(0.02);
    socket.say({ kind: "change", since: 20, why: "", changes: [[["at"], 30], [["run", "rows"], 2]] }); // prettier-ignore
    expect(connection.snapshot().status).toMatchObject({ run: { rows: 2 } });
    expect(connection.snapshot().status?.instruments).toBe(before?.instruments);
    socket.say({ kind: "change", since: 35, why: "", changes: [[["run", "rows"], 5]] });
    await vi.advanceTimersByTimeAsync(10);
    expect([asked, connection.snapshot().status?.run?.rows]).toEqual([1, 9]);
  });

  it("moves the page on with the bench's word, status and tape at once, and by its own clock where there is none", () => {
    const { connection, socket } = joined();
    socket.onopen();
    const told: string[] = [];
    connection.subscribe(() => told.push("status"));
    connection.subscribeTape(() => told.push("tape"));
    const leave = connection.subscribeBeat(() => told.push("beat"));
    socket.say({ kind: "tape", tape: { lines: [line(1)], left_out: 0 } });
    expect(told).toEqual(["tape"]); // after a quiet time at once
    socket.say({ kind: "tape", tape: { lines: [line(2)], left_out: 0 } });
    expect(told).toEqual(["tape"]); // then with the next word
    socket.say({ kind: "status", status: { at: Date.now() * 1000, instruments: [] } });
    expect(told).toEqual(["tape", "status", "beat", "tape"]);
    vi.advanceTimersByTime(2000);
    expect(told.slice(4)).toEqual(["beat", "beat", "beat"]);
    leave();
    vi.advanceTimersByTime(2000);
    expect(told).toHaveLength(7);
  });

  it("keeps the tape in order, without doubles, and bounded", async () => {
    const { connection, socket } = joined();
    socket.onopen();
    await vi.advanceTimersByTimeAsync(10);
    socket.say({ kind: "tape", tape: { lines: [line(2), line(3)], left_out: 5 } });
    expect(connection.tapeSnapshot().map((one) => one.n)).toEqual([1, 2, 3]);
    expect(connection.leftOut).toBe(5);
    for (let n = 4; n < 4000; n += 100)
      socket.say({
        kind: "tape",
        tape: { lines: Array.from({ length: 100 }, (_, i) => line(n + i)), left_out: 0 },
      });
    expect(connection.tapeSnapshot().length).toBe(2000);
  });

  it("is not behind because one word of the bench came late", () => {
    const { connection, socket } = joined();
    const word = (late: number): void =>
      socket.say({ kind: "status", status: { at: (Date.now() - late) * 1000, instruments: [] } });
    word(400); // as it was when the page was asked for
    word(3);
    word(260);
    expect(connection.now() - Date.now()).toBe(-3); // else what is measured now counts as not measured yet
  });

  it("follows the recorder's clock where it differs from this computer's", () => {
    const { connection, socket } = joined();
    socket.say({ kind: "status", status: { at: (Date.now() + 60_000) * 1000, instruments: [] } });
    expect(connection.now() - Date.now()).toBe(60_000);
  });
});
