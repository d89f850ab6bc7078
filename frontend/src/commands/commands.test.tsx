import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { ActStatus, Command, Instrument, InstrumentCommandPart } from "../api/client";
import { instrument, serve, stage, well } from "../fixtures.test-setup";
import {
  argumentOf,
  fieldsOf,
  freeId,
  leanCommand,
  leanSafe,
  plain,
  sending,
  withArgument,
} from "../instruments/commandDraft";
import { queries } from "../api/queries";
import { CommandButtons } from "./CommandButtons";
import { CommandForm } from "./CommandForm";

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const opening: Command = {
  id: "opening", name: "Set opening", does: "sets", button: true, note: "",
  arguments: [{
    field: "opening", title: "Opening", unit: "%", numeric: true, lowest: 0, highest: 100, choices: [], default: 60,
  }],
}; // prettier-ignore

const done = (more: Partial<ActStatus> = {}): ActStatus => ({
  number: 1, instrument: "valve", command: "opening", values: { opening: 40 }, by: "a person", asked_at: 0, sent: "VP 040.0\r",
  outcome: "answered", words: "answered “OK”", lines: ["OK"], fields: {}, ended_at: 1_000_000, ...more,
}); // prettier-ignore

const CALL = "POST /api/instruments/valve/commands/opening";

function form(
  command: Command = opening,
  more: Partial<Instrument> = {},
  narrow = false,
): { sent: unknown[] } {
  const { sent } = serve({ [CALL]: { status: 200, body: done() } });
  render(
    <QueryClientProvider client={new QueryClient()}>
      <CommandForm
        instrument={instrument({ id: "valve", ...more })}
        command={command}
        by="M. Okafor"
        narrow={narrow}
      />
    </QueryClientProvider>,
  );
  return { sent };
}

describe("a command's form", () => {
  it("sends what was typed, and who asks", async () => {
    const { sent } = form();
    await userEvent.clear(screen.getByLabelText("Opening, %"));
    await userEvent.type(screen.getByLabelText("Opening, %"), "42,5");
    await userEvent.click(screen.getByRole("button", { name: "Send" }));
    expect(sent).toEqual([{ values: { opening: 42.5 }, by: "M. Okafor", sure: false }]);
  });
  it("sends nothing out of range, and not without a value", async () => {
    const { sent } = form();
    const field = screen.getByLabelText("Opening, %");
    await userEvent.clear(field);
    await userEvent.type(field, "130");
    expect(screen.getByText("Give a number from 0 to 100.")).toBeDefined();
    expect(screen.getByRole("button", { name: "Send" })).toHaveProperty("disabled", true);
    cleanup();
    form({ ...opening, arguments: opening.arguments.map((one) => ({ ...one, default: null })) });
    expect(screen.getByRole("button", { name: "Send" })).toHaveProperty("disabled", true);
    expect(sent).toEqual([]);
  });
  it("asks before what cannot be undone", async () => {
    const { sent } = form({ ...opening, name: "Reset", does: "cannot be undone", arguments: [] });
    await userEvent.click(screen.getByRole("button", { name: "Send" }));
    expect(sent).toEqual([]);
    expect(screen.getByRole("alert").textContent).toContain("Reset? This cannot be undone.");
    await userEvent.click(screen.getByRole("button", { name: "Cancel" }));
    expect(screen.queryByRole("alert")).toBeNull();
    await userEvent.click(screen.getByRole("button", { name: "Send" }));
    await userEvent.click(screen.getByRole("button", { name: "Reset" }));
    expect(sent).toEqual([{ values: {}, by: "M. Okafor", sure: true }]);
  });
  it("is closed on the Bench while a stage is stopped, with the reason", () => {
    const stages = well().map((one) =>
      one.name === "Bytes" ? stage("Bytes", "stopped", "silent", "No byte has come.") : one,
    );
    form(opening, { stages }, true);
    expect(screen.getByRole("button", { name: "Set opening" })).toHaveProperty("disabled", true);
    expect(screen.getByText("Bytes: No byte has come.")).toBeDefined();
    cleanup();
    form(opening, { stages });
    expect(screen.getByRole("button", { name: "Send" })).toHaveProperty("disabled", false);
    cleanup();
    const shut = well().map((one) =>
      one.name === "Port" ? stage("Port", "stopped", "missing", "There is no port.") : one,
    );
    form(opening, { stages: shut });
    expect(screen.getByRole("button", { name: "Send" })).toHaveProperty("disabled", true);
  });
  it("says what came of it last, a refusal as a fault", () => {
    form(opening, { acts: [done(), done({ command: "auto", words: "other" })] });
    expect(screen.getByRole("status").textContent).toContain("40: ");
    expect(screen.getByRole("status").textContent).toContain("answered “OK”");
    expect(screen.getByRole("status").className).not.toContain("bad");
    cleanup();
    form(opening, { acts: [done({ outcome: "refused", words: "refused with “E2”" })] });
    expect(screen.getByRole("status").className).toContain("bad");
  });
});

describe("the commands on the Bench", () => {
  const show = (many: number, seen = many): void => {
    queries.clear();
    const ids = Array.from({ length: many }, (_, n) => `valve-${n}`);
    const all = ids.map((id) => ({ instrument: id, name: `Valve ${id}`, commands: [opening] }));
    serve({ "GET /api/commands": { status: 200, body: all } });
    render(
      <QueryClientProvider client={queries}>
        <CommandButtons instruments={ids.slice(0, seen).map((id) => instrument({ id }))} />
      </QueryClientProvider>,
    );
  };
  it("stand open while they are few", async () => {
    show(3);
    expect(await screen.findAllByLabelText("Opening, %")).toHaveLength(3);
  });
  it("are opened instrument by instrument where they are many, and are those that were searched for", async () => {
    show(30, 5);
    expect(await screen.findByText("Valve valve-4")).toBeDefined();
    expect(screen.queryByText("Valve valve-5")).toBeNull();
    expect(screen.queryByLabelText("Opening, %")).toBeNull();
    await userEvent.click(screen.getByText("Valve valve-4"));
    // The element's own toggling is the browser's: told here.
    const details = screen.getByText("Valve valve-4").closest("details");
    if (details) {
      details.open = true;
      details.dispatchEvent(new Event("toggle"));
    }
    expect(await screen.findAllByLabelText("Opening, %")).toHaveLength(1);
    cleanup();
    show(30, 1);
    expect(await screen.findAllByLabelText("Opening, %")).toHaveLength(1);
  });
});

const drafted = (more: Partial<InstrumentCommandPart> = {}): InstrumentCommandPart => ({
  id: "a", name: "A", does: "sets", send: "VP <opening:number 5.1> <mode:word>\r", writes: "", argument: [], patterns: [],
  errors: [], give_up_after_s: 1, with_check: false, read_back: true, starts: "", button: false, note: "", ...more,
}); // prettier-ignore

describe("a command that is being written", () => {
  it("has the fields of what it sends", () => {
    expect(fieldsOf(drafted())).toEqual([
      { name: "opening", numeric: true },
      { name: "mode", numeric: false },
    ]);
    expect(fieldsOf(drafted({ send: "A \\<no> <x>" }))).toEqual([{ name: "x", numeric: true }]);
    expect(fieldsOf(drafted({ send: "", writes: "zero" }))).toEqual([{ name: "value", numeric: true }]);
  });
  it("loses the arguments of fields that are gone", () => {
    const told = withArgument(withArgument(drafted(), "opening", { lowest: 0 }), "mode", { unit: "x" });
    expect(argumentOf(told, "opening").lowest).toBe(0);
    expect(sending(told, { send: "VM <mode:word>\r" }).argument.map((one) => one.field)).toEqual(["mode"]);
  });
  it("is kept without what says nothing", () => {
    const told = withArgument(withArgument(drafted(), "opening", { lowest: 0, highest: null }), "mode", {
      name: "",
    });
    expect(leanCommand({ ...told })).toEqual({
      id: "a", name: "A", does: "sets", send: "VP <opening:number 5.1> <mode:word>\r", give_up_after_s: 1, button: false,
      argument: [{ field: "opening", lowest: 0 }],
    }); // prettier-ignore
    expect(leanCommand({ with_check: true, read_back: false })).toEqual({
      with_check: true,
      read_back: false,
    });
  });
  it("is sent with its defaults as a safe state, unless values are given", () => {
    const commands = [
      { command: "a", values: {} },
      { command: "b", values: { x: 1 } },
    ];
    expect(leanSafe({ commands, run_ends: true })).toEqual({
      commands: [{ command: "a" }, { command: "b", values: { x: 1 } }],
      run_ends: true,
    });
  });
  it("takes numbers where a field is one", () => {
    expect([plain("1,5", true), plain("HOLD", false), plain("2", false), plain(" ", true)]).toEqual([
      1.5,
      "HOLD",
      "2",
      null,
    ]);
    expect(freeId("Set it", ["set-it"])).toBe("set-it-2");
  });
});
