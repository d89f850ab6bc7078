import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, fireEvent, render, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { type ReactElement, useState } from "react";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { Failure, QueryPart, ReadingProposal, RegisterPart, Setup } from "../api/client";
import { channelPart, chosen, framing, pick, previewRow, query, serve, told } from "../fixtures.test-setup";
import { ChannelsStage, freshChannel, sourcesOf } from "./ChannelsStage";
import { FailureList } from "./FailureList";
import { FramingFields, framingWords, Suggestions } from "./FramingFields";
import { freshLink } from "./LinkForm";
import { MessageCells } from "./MessageCells";
import { likely, nameFor, PointAt } from "./PointAt";
import { ProposalCard } from "./ProposalCard";
import { ReaderFields } from "./ReaderFields";
import { noLimits } from "./limits";
import { ReadingsStage, taken } from "./ReadingsStage";
import { pasted, RegisterTable } from "./RegisterTable";
import { ReplyFields } from "./ReplyFields";

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const setup = (part: Partial<Setup> = {}): Setup => ({
  format: 1,
  instrument: told(),
  link: freshLink("serial", "port 3"),
  framing: framing(), identity: null, start: [], release: [], query: [query()], listen: null, modbus: null, channel: [], command: [], curve: [],
  ...part,
}); // prettier-ignore

const proposal = (part: Partial<ReadingProposal> = {}): ReadingProposal => ({
  query: "flow", title: "message pattern", reads: 20, of: 20, reasons: ["a label stands before it"],
  reading: { patterns: ["FL=<fl [L/min]> L/min"] }, check: "none",
  channels: [channelPart({ id: "fl", name: "Fl", field: "fl", query: "flow", decimals: 2 })],
  ...part,
}); // prettier-ignore

const shown = (element: ReactElement): void => {
  render(<QueryClientProvider client={new QueryClient()}>{element}</QueryClientProvider>);
};

const cell = (at: number): Element => {
  const found = document.querySelector(`[data-at="${at}"]`);
  if (!found) throw new Error(`no cell ${at}`);
  return found;
};

describe("pointing at a message", () => {
  it("marks by dragging, guesses what it is, and takes the pattern that comes back", async () => {
    const { sent } = serve({
      "POST /api/patterns/point": { status: 200, body: { source: "FL=<flow [L/min]>" } },
    });
    const onSource = vi.fn();
    shown(
      <PointAt
        row={previewRow({ spans: [], pattern: null })}
        source=""
        encoding="ascii"
        onSource={onSource}
      />,
    );
    fireEvent.pointerDown(cell(3));
    fireEvent.pointerEnter(cell(10));
    fireEvent.pointerUp(window);
    fireEvent.pointerEnter(cell(1)); // no longer dragging
    expect(chosen("“+0148.27” is")).toBe("a number");
    expect((screen.getByLabelText("called") as HTMLInputElement).value).toBe("fl");
    await userEvent.clear(screen.getByLabelText("called"));
    await userEvent.type(screen.getByLabelText("called"), "flow");
    await userEvent.type(screen.getByLabelText("in"), "L/min");
    await userEvent.click(screen.getByRole("button", { name: "Apply" }));
    await waitFor(() => expect(onSource).toHaveBeenCalledWith("FL=<flow [L/min]>"));
    expect(sent[0]).toEqual({
      source: "", message: "FL=+0148.27", start: 3, end: 11, meaning: "number", name: "flow", unit: "L/min", encoding: "ascii",
    }); // prettier-ignore
  });
  it("does the same by keyboard", async () => {
    const onMark = vi.fn();
    const onEnter = vi.fn();
    const message = { message: "A=5", spans: [], column: 0, onMark, onEnter };
    const { rerender } = render(<MessageCells {...message} marked={null} />);
    const box = screen.getByTestId("message-cells");
    box.focus();
    fireEvent.keyDown(box, { key: "End" });
    expect(onMark).toHaveBeenLastCalledWith({ start: 2, end: 3 });
    fireEvent.keyDown(box, { key: "ArrowLeft", shiftKey: true });
    expect(onMark).toHaveBeenLastCalledWith({ start: 1, end: 3 });
    fireEvent.keyDown(box, { key: "ArrowLeft", shiftKey: true });
    expect(onMark).toHaveBeenLastCalledWith({ start: 0, end: 3 });
    fireEvent.keyUp(box, { key: "Shift" });
    rerender(<MessageCells {...message} marked={{ start: 0, end: 3 }} />);
    fireEvent.keyDown(box, { key: "Enter" });
    expect(onEnter).toHaveBeenCalled();
    fireEvent.keyDown(box, { key: "Escape" });
    expect(onMark).toHaveBeenLastCalledWith(null);
    expect(box.getAttribute("aria-label")).toContain("marked: A=5");
  });
  it("says why something cannot be read so", async () => {
    serve({
      "POST /api/patterns/point": {
        status: 400,
        body: { detail: "This selection cannot be read that way: two fields touch." },
      },
    });
    shown(<PointAt row={previewRow()} source="FL=<flow>" encoding="ascii" onSource={vi.fn()} />);
    fireEvent.pointerDown(cell(0));
    fireEvent.pointerUp(window);
    await userEvent.click(screen.getByRole("button", { name: "Apply" }));
    expect((await screen.findByRole("alert")).textContent).toContain("two fields touch");
    await userEvent.click(screen.getByRole("button", { name: "Cancel" }));
    expect(screen.queryByRole("alert")).toBeNull();
  });
  it.each([
    ["+0148.27", "number"], ["1e3", "number"], ["--.--", "none"], ["OL", "over"], ["OK", "word"], ["a b", "text"],
  ])("guesses that %s is %s", (text, meaning) => {
    expect(likely(text)).toBe(meaning);
  }); // prettier-ignore
  it("names a number after its label", () => {
    expect(nameFor("FL=+0148", 3, "")).toBe("fl");
    expect(nameFor("FL=+0148", 4, "<fl>")).toBe("v1");
    expect(nameFor("1,2", 2, "<v1>,2")).toBe("v2");
  });
});

describe("proposals", () => {
  it("are taken with their channels, and leave what the channels already are", () => {
    const bare = setup({ query: [query({ patterns: [] })] });
    expect(taken(bare, proposal())).toMatchObject({
      query: [{ patterns: ["FL=<fl [L/min]> L/min"], reader: null }],
      channel: [{ id: "fl", unit: "L/min" }],
    });
    const mine = {
      ...(proposal().channels[0] as Setup["channel"][number]),
      name: "My flow",
      limits: { ...noLimits, high: 5 },
    };
    const again = taken(setup({ channel: [mine, { ...mine, id: "gone", field: "gone" }] }), proposal());
    expect(again.channel).toEqual([mine]);
    const listening = setup({ instrument: { ...bare.instrument, talks: "on its own" }, query: [] });
    expect(taken(listening, proposal({ query: null })).listen).toMatchObject({
      patterns: ["FL=<fl [L/min]> L/min"],
    });
  });
  it("are listed with their reasons", async () => {
    const onTake = vi.fn();
    render(<ProposalCard proposal={proposal()} onTake={onTake} />);
    expect(screen.getByText("FL=<fl [L/min]> L/min")).toBeTruthy();
    expect(screen.getByText("a label stands before it.")).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Use this pattern" }));
    expect(onTake).toHaveBeenCalledWith(proposal());
  });
  it("come by themselves where nothing is read yet", async () => {
    serve({
      "POST /api/instruments/m/proposals": {
        status: 200,
        body: { framings: [], readings: [proposal()], questions: [], needs: [] },
      },
    });
    const change = vi.fn();
    const row = previewRow({ why: "no message pattern yet", fields: {}, spans: [], pattern: null });
    shown(
      <ReadingsStage
        setup={setup({ query: [query({ patterns: [] })] })}
        change={change} instrument={undefined} rows={[row]} failures={[]} instrumentKey="m" changes={{}}
      />,
    ); // prettier-ignore
    await userEvent.click(await screen.findByRole("button", { name: "Use this pattern" }));
    expect(change.mock.lastCall?.[0]).toMatchObject({ channel: [{ field: "fl" }] });
  });
  it("are asked about where two readings remain, and the answer goes with the next request", async () => {
    const question = {
      query: "flow", key: "comma", words: "How is “1,234” meant?",
      choices: [
        { key: "thousands", words: "one number, 1234", shown: ["Q 1,234 → 1234"] },
        { key: "decimal", words: "one number, 1.234", shown: ["Q 1,234 → 1.234"] },
      ],
    }; // prettier-ignore
    const need = { query: "flow", words: "4 messages are too few to be sure: let 20 come." };
    const body = { framings: [], readings: [], questions: [question], needs: [need] };
    const { sent } = serve({ "POST /api/instruments/m/proposals": { status: 200, body } });
    const row = previewRow({ why: "no message pattern yet", fields: {}, spans: [], pattern: null });
    shown(
      <ReadingsStage
        setup={setup({ query: [query({ patterns: [] })] })}
        change={vi.fn()} instrument={undefined} rows={[row]} failures={[]} instrumentKey="m" changes={{}}
      />,
    ); // prettier-ignore
    expect(await screen.findByRole("group", { name: "How is “1,234” meant?" })).toBeTruthy();
    expect(screen.getByText("Q 1,234 → 1.234")).toBeTruthy();
    expect(screen.getByRole("status").textContent).toContain("let 20 come");
    await userEvent.click(screen.getByRole("button", { name: "one number, 1.234" }));
    await vi.waitFor(() => expect(sent).toContainEqual({ changes: {}, answers: { comma: "decimal" } }));
    await userEvent.click(screen.getByRole("button", { name: "ask me again" }));
    await vi.waitFor(() => expect(sent.at(-1)).toEqual({ changes: {}, answers: {} }));
  });
  it("suggest another framing with what it would cut", async () => {
    const onTake = vi.fn();
    const one = {
      framing: framing({ terminator: "\r" }),
      reason: "CR recurs 9 times",
      examples: ["VP=045.0"],
    };
    render(<Suggestions suggestions={[one]} onTake={onTake} />);
    expect(screen.getByText("VP=045.0")).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Use this framing" }));
    expect(onTake).toHaveBeenCalledWith(one.framing);
  });
});

describe("messages not understood", () => {
  const failure: Failure = {
    message: "FL=---- L/min", query: "flow", why: "stops at character 4", column: 4, count: 3,
    remedies: [
      { words: "“----” is “no reading” (flow)", source: "FL=<flow none(----)>", number: 0, error: false, token: "", stands_for: "" },
      { words: "pass it over", source: "FL=----", number: null, error: false, token: "", stands_for: "" },
      { words: "it is an error", source: "FL<*>", number: null, error: true, token: "", stands_for: "" },
    ],
  }; // prettier-ignore
  it("show the character, and are mended with one press", async () => {
    const change = vi.fn();
    shown(
      <ReadingsStage
        setup={setup()} change={change} instrument={undefined} rows={[previewRow()]} failures={[failure]} instrumentKey="m" changes={{}}
      />,
    ); // prettier-ignore
    expect(screen.getByText(/3 like this: stops at character 4/)).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: /is “no reading”/ }));
    expect((change.mock.lastCall?.[0] as { query: QueryPart[] }).query[0]?.patterns).toEqual([
      "FL=<flow none(----)>",
    ]);
    await userEvent.click(screen.getByRole("button", { name: "pass it over" }));
    expect((change.mock.lastCall?.[0] as { query: QueryPart[] }).query[0]?.patterns).toEqual([
      "FL=<flow>",
      "FL=----",
    ]);
    await userEvent.click(screen.getByRole("button", { name: "it is an error" }));
    expect((change.mock.lastCall?.[0] as { query: QueryPart[] }).query[0]?.errors).toEqual(["FL<*>"]);
    expect(screen.getByText("Message (1 of 1 understood)")).toBeTruthy();
  });
  it("say to a reader that is no pattern what dashes are", async () => {
    const change = vi.fn();
    const remedy = {
      words: "“--,--” is “no reading”",
      source: "",
      number: null,
      error: false,
      token: "--,--",
    };
    const reader = {
      kind: "pairs" as const,
      between: ";",
      equals: "=",
      decimal: "," as const,
      none: [],
      over: [],
      under: [],
    };
    shown(
      <ReadingsStage
        setup={setup({ query: [query({ reader, patterns: [] })] })} change={change} instrument={undefined} rows={[previewRow()]}
        failures={[{ ...failure, remedies: [{ ...remedy, stands_for: "none" }] }]} instrumentKey="m" changes={{}}
      />,
    ); // prettier-ignore
    await userEvent.click(screen.getByRole("button", { name: remedy.words }));
    expect((change.mock.lastCall?.[0] as { query: QueryPart[] }).query[0]?.reader).toMatchObject({
      none: ["--,--"],
    });
  });
  it("show nothing where all is well, and the end of a message that is too short", () => {
    const { container, rerender } = render(<FailureList failures={[]} onRemedy={vi.fn()} />);
    expect(container.textContent).toBe("");
    rerender(<FailureList failures={[{ ...failure, message: "FL=", remedies: [] }]} onRemedy={vi.fn()} />);
    expect(container.querySelector(".at")?.textContent).toBe("▏");
  });
});

describe("readers, framings and replies as forms", () => {
  it("choose a reader and its keys", async () => {
    const onReader = vi.fn();
    const { rerender } = render(<ReaderFields reader={null} onReader={onReader} />);
    await pick("Read as", "columns");
    const columns = onReader.mock.lastCall?.[0] as NonNullable<QueryPart["reader"]>;
    expect(columns).toMatchObject({ kind: "columns", separator: ",", header: false });
    rerender(<ReaderFields reader={columns} onReader={onReader} />);
    fireEvent.change(screen.getByLabelText("Names, in order (- skips one)"), {
      target: { value: "a, -, b" },
    });
    expect(onReader).toHaveBeenLastCalledWith({ ...columns, names: ["a", "-", "b"] });
    await pick("Decimal sign", ",");
    expect(onReader).toHaveBeenLastCalledWith({ ...columns, decimal: "," });
    await pick("Read as", "patterns");
    expect(onReader).toHaveBeenLastCalledWith(null);
    for (const kind of ["pairs", "nmea", "scpi", "json", "block"] as const) {
      await pick("Read as", kind);
      const made = onReader.mock.lastCall?.[0] as NonNullable<QueryPart["reader"]>;
      rerender(<ReaderFields reader={made} onReader={onReader} />);
      expect(made.kind).toBe(kind);
    }
  });
  it("let several names be typed, separators and all", async () => {
    function Held() {
      const [reader, setReader] = useState<QueryPart["reader"]>({ kind: "scpi", names: ["v"] });
      return <ReaderFields reader={reader ?? null} onReader={setReader} />;
    }
    render(<Held />);
    const box = screen.getByLabelText("Names, in order") as HTMLInputElement;
    await userEvent.type(box, ", power, state");
    expect(box.value).toBe("v, power, state");
  });
  it("give every framing what it needs", async () => {
    const onFraming = vi.fn();
    const { rerender } = render(<FramingFields framing={framing()} onFraming={onFraming} />);
    for (const [kind, more] of [
      ["fixed length", { length: 8 }],
      ["counted", { count: { at: 1, size: 1, written: "high first", plus: 2 } }],
      ["between marks", { start: "\u0002", end: "\u0003" }],
      ["modbus tcp", { check: "none" }],
      ["silence", {}],
    ] as const) {
      await pick("A message", kind);
      expect(onFraming).toHaveBeenLastCalledWith(expect.objectContaining({ kind, ...more }));
    }
    await pick("Check characters", "other");
    const check = (onFraming.mock.lastCall?.[0] as { check: Setup["framing"]["check"] }).check;
    expect(check).toMatchObject({ kind: "sum", written: "hex" });
    rerender(<FramingFields framing={framing({ check })} onFraming={onFraming} />);
    await pick("method", "crc-16 x25");
    expect(onFraming).toHaveBeenLastCalledWith({ check: { ...(check as object), kind: "crc-16 x25" } });
    expect(framingWords(framing())).toBe("a message ends with CR LF");
    expect(framingWords(framing({ kind: "modbus rtu" }))).toBe("a message is a Modbus RTU frame");
    expect(framingWords(framing({ kind: "between marks", start: "<", end: ">" }))).toBe(
      "a message stands between < and >",
    );
  });
  it("say when an answer is whole", async () => {
    const onQuery = vi.fn();
    const { rerender } = render(<ReplyFields query={query()} onQuery={onQuery} />);
    await userEvent.click(screen.getByRole("button", { name: "more …" }));
    await pick("The answer is whole", "until");
    expect(onQuery).toHaveBeenLastCalledWith({ lines: 1, until: "END", quiet_ms: 0 });
    rerender(<ReplyFields query={query({ until: "END", trigger: "TRIG\n" })} onQuery={onQuery} />);
    fireEvent.change(screen.getByLabelText("then wait, ms"), { target: { value: "250" } });
    expect(onQuery).toHaveBeenLastCalledWith({ trigger_wait_s: 0.25 });
  });
});

describe("a register map", () => {
  const register = (part: Partial<RegisterPart> = {}): RegisterPart => ({
    name: "p", at: 0, table: "holding", holds: "float32", order: "high first", none: [], bit: null, writable: false, ...part,
  }); // prettier-ignore
  const modbus = {
    unit: 11,
    every_s: 0.5,
    on_demand: false,
    give_up_after_s: 0.3,
    together: 8,
    registers: [register()],
  };
  it("is edited as a table", async () => {
    const change = vi.fn();
    render(<RegisterTable setup={setup({ modbus, query: [] })} change={change} />);
    await userEvent.click(screen.getByRole("button", { name: "Add a register" }));
    expect((change.mock.lastCall?.[0] as Setup).modbus?.registers[1]).toMatchObject({ name: "r2", at: 2 });
    fireEvent.change(screen.getByLabelText("Bus address"), { target: { value: "12" } });
    expect((change.mock.lastCall?.[0] as Setup).modbus?.unit).toBe(12);
    await pick("Holds", "bit");
    expect((change.mock.lastCall?.[0] as Setup).modbus?.registers[0]).toMatchObject({ holds: "bit", bit: 0 });
    await pick("Table", "coil");
    expect((change.mock.lastCall?.[0] as Setup).modbus?.registers[0]).toMatchObject({
      table: "coil",
      holds: "uint16",
    });
    await userEvent.click(screen.getByRole("button", { name: "Remove" }));
    expect((change.mock.lastCall?.[0] as Setup).modbus?.registers).toEqual([]);
  });
  it("writes a register by hand, and says what came of it", async () => {
    const done = { good: false, read_back: 5, sentence: "p was written as 7, but reads back as 5." };
    const { sent } = serve({ "POST /api/instruments/m/registers": { status: 200, body: done } });
    const change = vi.fn();
    const writable = { ...modbus, registers: [register({ writable: true })] };
    render(<RegisterTable setup={setup({ modbus: writable, query: [] })} change={change} />);
    await userEvent.type(screen.getByLabelText("Write p"), "7,5");
    await userEvent.click(screen.getByRole("button", { name: "write" }));
    // It is asked first: what a device does with it cannot be taken back.
    expect(screen.getByRole("alert").textContent).toMatch(/^Write .* This cannot be undone here\./);
    await userEvent.click(screen.getByRole("button", { name: "Write" }));
    expect((await screen.findByRole("status")).textContent).toBe(done.sentence);
    expect(sent[0]).toEqual({ name: "p", value: 7.5, by: "" });
    await pick("Writing", "never");
    expect((change.mock.lastCall?.[0] as Setup).modbus?.registers[0]).toMatchObject({ writable: false });
  });
  it("is pasted from a spreadsheet", async () => {
    expect(pasted("p, 0x10, float32\nt\t18\tint16\tinput\nn;20;uint32;low first\n")).toMatchObject([
      { name: "p", at: 16, holds: "float32", table: "holding" },
      { name: "t", at: 18, holds: "int16", table: "input" },
      { name: "n", at: 20, holds: "uint32", order: "low first" },
    ]);
    const change = vi.fn();
    render(<RegisterTable setup={setup({ modbus, query: [] })} change={change} />);
    await userEvent.click(screen.getByRole("button", { name: "Paste a map" }));
    await userEvent.type(screen.getByLabelText("Register map to paste"), "q, x");
    await userEvent.click(screen.getByRole("button", { name: "Add these" }));
    expect(screen.getByRole("alert").textContent).toContain("Line 1: a name and an address");
    expect(() => pasted("q, 1, float16")).toThrow("“float16” is not known");
    expect(change).not.toHaveBeenCalled();
  });
});

describe("channels", () => {
  it("are made from the numbers of the last messages, with the unit their pattern gives", async () => {
    const change = vi.fn();
    const own = setup({ query: [query({ patterns: ["FL=<flow none(---) [L/min]> <state:word>"] })] });
    const rows = [previewRow({ fields: { flow: "148.27", state: "OK" } })];
    expect(sourcesOf(own, rows).map((one) => one.field)).toEqual(["flow", "state"]);
    expect(freshChannel(own, { field: "state", query: null }, rows).states).toEqual(["OK"]);
    render(<ChannelsStage setup={own} change={change} rows={rows} onText={vi.fn()} />);
    await userEvent.click(screen.getByRole("button", { name: "flow" }));
    expect(change.mock.lastCall?.[0]).toMatchObject({
      channel: [{ id: "m-flow", name: "Flow", field: "flow", unit: "L/min", decimals: 2 }],
    });
    const two = { ...own, channel: [freshChannel(own, { field: "flow", query: null }, rows)] };
    expect(freshChannel(two, { field: "flow", query: null }, rows).id).toBe("m-flow-2");
  });
  it("are corrected, limited and taken away", async () => {
    const change = vi.fn();
    const [made] = proposal().channels;
    const own = setup({ channel: [{ ...(made as Setup["channel"][number]), query: null }] });
    shown(<ChannelsStage setup={own} change={change} rows={[]} onText={vi.fn()} />);
    fireEvent.change(screen.getByLabelText("×"), { target: { value: "0,001" } });
    expect(change.mock.lastCall?.[0]).toMatchObject({ channel: [{ scale: 0.001 }] });
    fireEvent.click(screen.getByRole("button", { name: /^more of/ }));
    fireEvent.change(screen.getByLabelText("High limit"), { target: { value: "200" } });
    expect(change.mock.lastCall?.[0]).toMatchObject({ channel: [{ limits: { high: 200 } }] });
    change.mockClear();
    fireEvent.change(screen.getByLabelText("+"), { target: { value: "x" } });
    expect(change).not.toHaveBeenCalled();
    expect(screen.getByLabelText("+").getAttribute("aria-invalid")).toBe("true");
    await userEvent.click(screen.getByRole("button", { name: "Remove Fl" }));
    expect(change).toHaveBeenLastCalledWith({ channel: [] });
  });
  it("come from the register map of a Modbus device", () => {
    const modbus = {
      unit: 1,
      every_s: 1,
      on_demand: false,
      give_up_after_s: 0.3,
      together: 8,
      registers: [...pasted("p, 0, float32")],
    };
    expect(sourcesOf(setup({ modbus, query: [] }), [])).toEqual([{ field: "p", query: null }]);
  });
});
