import { cleanup, fireEvent, render, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { TapeLine } from "../api/client";
import { instrument, serve } from "../fixtures.test-setup";
import { escaped, fromHex, unescaped } from "../parts/escapes";
import { CommandLine } from "./CommandLine";
import { answers, joined, passes, timeOf, whySent } from "./lines";
import { Tape } from "./Tape";
import { TapeView } from "./TapeView";

let n = 0;
const line = (kind: string, text: string, at: number, more: Partial<TapeLine> = {}): TapeLine => ({
  n: ++n, at: at * 1000, link: "port 3", kind, text, why: "", more: 0, ...more,
}); // prettier-ignore

// The test's browser lays nothing out: here every box has room for twenty rows.
const ROOM = 400;
Object.defineProperty(HTMLElement.prototype, "clientHeight", { configurable: true, value: ROOM });

Object.assign(globalThis, {
  ResizeObserver: class {
    constructor(private readonly told: () => void) {}
    observe = (): void => this.told();
    unobserve = (): void => undefined;
    disconnect = (): void => undefined;
  },
});

beforeEach(() => localStorage.clear());
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

describe("bytes as people write them", () => {
  it("read back what was written, whatever the bytes", () => {
    const all = Array.from({ length: 256 }, (_, code) => String.fromCharCode(code)).join("");
    expect(unescaped(escaped(all))).toBe(all);
    expect(unescaped("FL?\\r\\n\\x1B\\\\")).toBe("FL?\r\n\x1b\\");
    expect(fromHex("46 4c,3F 0x0D")).toBe("FL?\r");
  });
  it.each([
    ["\\q", "is no escape"],
    ["\\x1", "is no escape"],
    ["λ", "is not a single byte"],
  ])("say what is wrong with %s", (text, words) => expect(() => unescaped(text)).toThrow(words));
  it("say what is wrong with hexadecimal", () => {
    expect(() => fromHex("4G")).toThrow("no hexadecimal digit");
    expect(() => fromHex("463")).toThrow("one is missing");
  });
});

describe("lines", () => {
  it("put the pieces of a slow line together again, and nothing else", () => {
    const out = joined([
      line("in", "P=4,3", 0), line("in", "5;L=0\r", 40), line("in", "\n", 44), line("in", "P=4,4\r\n", 500),
      line("in", "left", 900), line("out", "X", 910), line("in", "new", 920), line("in", "late", 2000),
    ]); // prettier-ignore
    expect(out.map((one) => one.text)).toEqual(["P=4,35;L=0\r\n", "P=4,4\r\n", "left", "X", "new", "late"]);
    const two = joined([line("in", "a", 0), line("in", "1", 1, { link: "port 4" }), line("in", "b", 2)]);
    expect(two.map((one) => one.text)).toEqual(["ab", "1"]);
  });
  it("know what answers a typed command", () => {
    const typed = { why: "command/7" };
    const poll = { why: "flow/flow" };
    const out = answers([
      line("in", "before", 0), line("out", "ID?", 1, typed), line("in", "A", 2), line("in", "B", 3),
      line("out", "FL?", 4, poll), line("in", "C", 5),
    ]); // prettier-ignore
    expect(out).toEqual([false, false, true, true, false, false]);
    expect(["command/7", "m/identity", "m/start/2", "m/release/1", "m/flow"].map((why) => whySent(line("out", "", 0, { why })))).toEqual([
      "typed", "identity query", "start command 2", "release command 1", "",
    ]); // prettier-ignore
  });
  it("pass the filters", () => {
    expect(passes(line("in", "", 0), "port 3", "in")).toBe(true);
    expect(passes(line("in", "", 0), "port 4", "")).toBe(false);
    expect(passes(line("note", "mark", 0, { link: "" }), "port 4", "events")).toBe(true);
    expect(passes(line("out", "", 0), "", "in")).toBe(false);
  });
  it("show the time as clock, elapsed or gap", () => {
    const [a, b, c] = [line("in", "", 1000), line("in", "", 1250), line("in", "", 3000)];
    expect(timeOf(c, "elapsed", a, b).trim()).toBe("+2.000");
    expect(timeOf(c, "gap", a, b).trim()).toBe("+1.750");
    expect(timeOf(a, "clock", a, undefined)).toMatch(/^\d\d:\d\d:01\.000$/);
  });
});

describe("the command line", () => {
  const order = { id: 1, n: 9, done: true, lines: ["LOOP FLOW METER", "SERIAL 20417"], why: "" };
  const path = "POST /api/instruments/loop-flow-meter/command";

  it("sends with the instrument's own end, and shows the whole answer", async () => {
    const { sent } = serve({ [path]: { status: 200, body: order } });
    render(<CommandLine instrument={instrument()} />);
    await userEvent.type(screen.getByLabelText("Command"), "ID?{Enter}");
    expect((await screen.findByTestId("answer")).textContent).toBe("LOOP FLOW METERSERIAL 20417");
    expect(sent).toEqual([{ data: "ID?\r", wait_ms: 800 }]);
  });
  it("brings earlier commands back with the up arrow", async () => {
    serve({ [path]: { status: 200, body: { ...order, lines: [] } } });
    render(<CommandLine instrument={instrument()} />);
    const box = screen.getByLabelText("Command");
    await userEvent.type(box, "ONE{Enter}");
    await screen.findByText(/No answer to ONE/);
    await userEvent.type(box, "TWO{Enter}");
    await screen.findByText(/No answer to TWO/);
    await userEvent.type(box, "{ArrowUp}{ArrowUp}");
    expect((box as HTMLInputElement).value).toBe("ONE");
    await userEvent.type(box, "{ArrowDown}{ArrowDown}");
    expect((box as HTMLInputElement).value).toBe("");
  });
  it("takes hexadecimal bytes, and says which are none", async () => {
    const { sent } = serve({ [path]: { status: 200, body: order } });
    render(<CommandLine instrument={instrument()} />);
    await userEvent.click(screen.getByRole("button", { name: "hex" }));
    const box = screen.getByLabelText("Command, as hexadecimal bytes");
    await userEvent.type(box, "0B 03 0{Enter}");
    expect((await screen.findByRole("alert")).textContent).toContain("one is missing");
    await userEvent.type(box, "0{Enter}");
    await waitFor(() => expect(sent).toEqual([{ data: "\x0b\x03\0", wait_ms: 800 }]));
  });
  it("says why nothing could be sent", async () => {
    serve({ [path]: { status: 409, body: { detail: "It cannot be sent. The port was released." } } });
    render(<CommandLine instrument={instrument()} />);
    await userEvent.type(screen.getByLabelText("Command"), "X{Enter}");
    expect((await screen.findByRole("alert")).textContent).toContain("was released");
  });
});

describe("the tape's lines", () => {
  const all = Array.from({ length: 100_000 }, (_, place) => line("in", `line ${place}`, place * 1000));
  const view = (lines: TapeLine[]) => (
    <TapeView lines={lines} show="text" timeAs="clock" names={null} follows={false} empty="none" />
  );
  const drawn = (): string[] =>
    [...screen.getByTestId("tape").querySelectorAll(".line .in + .in")].map((one) => one.textContent ?? "");
  const scroll = (to: number): void => {
    const box = screen.getByTestId("tape");
    box.scrollTop = to;
    fireEvent.scroll(box);
  };

  it("have the chosen one in view, in whatever piece its bytes came", () => {
    const pieces = [...all.slice(0, 500), line("in", "P=4,", 500_000), line("in", "19", 500_004)];
    const after = Array.from({ length: 400 }, (_, place) => line("in", "later", 502_000 + place * 1000));
    render(
      <TapeView
        lines={[...pieces, ...after]}
        show="text"
        timeAs="clock"
        names={null}
        follows={false}
        chosen={pieces[501]?.n}
        empty="none"
      />,
    );
    const box = screen.getByTestId("tape");
    expect(box.scrollTop).toBe(500.5 * 20 - 200);
    fireEvent.scroll(box);
    expect(box.querySelector("[data-chosen]")?.textContent).toContain("P=4,19");
  });
  it("are drawn where they are in view, and a few beside them", () => {
    render(view(all));
    expect(drawn()).toEqual(all.slice(0, 37).map((one) => one.text));
    scroll(50_000 * 20 + 7);
    expect(drawn()).toContain("line 50000");
    expect(drawn()).toContain("line 50020");
    expect(drawn().length).toBeLessThan(40);
    scroll(all.length * 20 - 400);
    expect(drawn().at(-1)).toBe("line 99999");
    expect(drawn()).toContain("line 99980");
  });
  it("stay in view when most of them are gone", () => {
    const { rerender } = render(view(all));
    scroll(all.length * 20 - 400);
    rerender(view(all.slice(-30)));
    expect(drawn().slice(-20)).toEqual(all.slice(-20).map((one) => one.text));
  });
});

describe("the tape", () => {
  it("is held with what the recorder remembers, searched there, and saved", async () => {
    const asked: string[] = [];
    vi.stubGlobal("fetch", async (request: Request) => {
      asked.push(new URL(request.url).search);
      const lines = request.url.includes("find=OK")
        ? [line("in", "FL=+0148.27 OK", 1)]
        : [line("out", "FL?\r", 0)];
      return new Response(JSON.stringify(lines), { headers: { "Content-Type": "application/json" } });
    });
    render(<Tape instruments={[instrument()]} only={instrument()} roomy />);
    await userEvent.click(screen.getByRole("button", { name: "hold" }));
    expect(await screen.findByText("FL?")).toBeTruthy();
    await userEvent.type(screen.getByLabelText("Find on the tape"), "OK");
    expect(await screen.findByText("FL=+0148.27 OK")).toBeTruthy();
    expect(asked.some((query) => query.includes("find=OK"))).toBe(true);
    expect(screen.getByRole("link", { name: "save" }).getAttribute("href")).toContain("find=OK");
    await userEvent.click(screen.getByRole("button", { name: "held: go on" }));
    expect(screen.getByRole("button", { name: "hold" })).toBeTruthy();
  });
});
