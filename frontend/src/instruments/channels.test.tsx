import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import type { ReactElement } from "react";
import { Routed } from "../routed.test-setup";
import { afterEach, describe, expect, it, vi } from "vitest";
import { ChannelWindow } from "../bench/ChannelWindow";
import { channelPart, hear, inForce, pick, previewRow, serve } from "../fixtures.test-setup";
import { CalculatedPage, named, pointer } from "./CalculatedPage";
import { ChannelMore } from "./ChannelMore";
import { pointsOf } from "./ScalingFields";
import { become, kindOf, StateFields, MarkFields } from "./StateFields";
import { noLimits } from "./limits";
import type { Status } from "../api/client";

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
  vi.restoreAllMocks();
  localStorage.clear();
});

const shown = (element: ReactElement): void => {
  render(
    <QueryClientProvider client={new QueryClient()}>
      <Routed>{element}</Routed>
    </QueryClientProvider>,
  );
};

describe("points as they are pasted", () => {
  it("are pairs, with blanks, tabs, semicolons, decimal points or commas", () => {
    expect(pointsOf("0 0.1\n10\t10,2\n\n20;20.1")).toEqual([[0, 0.1], [10, 10.2], [20, 20.1]]); // prettier-ignore
    expect(pointsOf("0 1")).toBeNull();
    expect(pointsOf("0 1\n2")).toBeNull();
    expect(pointsOf("0 1\n2 x")).toBeNull();
  });
});

describe("everything else about a channel", () => {
  it("shows each step before and after, and what a calibration leaves", async () => {
    serve({
      "POST /api/scaling": {
        status: 200,
        body: {
          steps: [
            { words: "", value: 5, quality: 0 },
            { words: "sign", value: -5, quality: 0 },
            { words: "loop", value: null, quality: 4 },
          ],
          residuals: [[], [0, 0.125]],
        },
      },
    });
    const set = vi.fn();
    const channel = channelPart({
      scaling: [{ kind: "sign" }, { kind: "current loop", at_4: 0, at_20: 10 }],
    });
    shown(<ChannelMore channel={channel} value={5} registers={["zero"]} set={set} />);
    expect((await screen.findByTestId("step-1")).textContent).toBe("5 → -5");
    expect(screen.getByTestId("step-2").textContent).toBe("-5 → under range");
    expect(screen.getByText(/residuals: 0, 0.125/)).toBeTruthy();
    fireEvent.change(screen.getByLabelText("at 20 mA"), { target: { value: "16" } });
    expect(set.mock.lastCall?.[0].scaling[1]).toEqual({ kind: "current loop", at_4: 0, at_20: 16 });
    await userEvent.click(screen.getByRole("button", { name: "step 2 earlier" }));
    expect(set.mock.lastCall?.[0].scaling.map((step: { kind: string }) => step.kind)).toEqual([
      "current loop",
      "sign",
    ]);
    await userEvent.click(screen.getByRole("button", { name: "add a filter" }));
    expect(set).toHaveBeenLastCalledWith({ filter: [{ kind: "median", count: 5 }] });
    fireEvent.change(screen.getByLabelText("Serial number"), { target: { value: "F-7" } });
    expect(set.mock.lastCall?.[0].calibration).toMatchObject({ serial: "F-7" });
    await pick("When zeroed", "write a register");
    expect(set).toHaveBeenLastCalledWith({ zero: { write: "zero" } });
  });
});

describe("a channel at its readout", () => {
  it("is zeroed, and limited in words that stay where they are refused", async () => {
    const { sent } = serve({
      "POST /api/channels/f/zero": {
        status: 200,
        body: { at: 1, sentence: "Loop flow: 5.0 L/min is taken off." },
      },
      "PUT /api/channels/f/limits": {
        status: 400,
        body: { detail: "channel.1.limits: the lower limit 9 must be below the upper limit 5." },
      },
    });
    shown(<ChannelWindow channel={inForce()} onClose={vi.fn()} />);
    expect((screen.getByRole("button", { name: "Undo" }) as HTMLButtonElement).disabled).toBe(true);
    await userEvent.click(screen.getByRole("button", { name: "Zero now" }));
    expect(await screen.findByText(/is taken off\./)).toBeTruthy();
    fireEvent.change(screen.getByLabelText("High limit"), { target: { value: "5" } });
    await userEvent.click(screen.getByRole("button", { name: "Set limits" }));
    expect(await screen.findByText(/must be below the upper limit 5/)).toBeTruthy();
    expect(sent.at(-1)).toMatchObject({ low: 60, high: 5 });
  });
});

describe("calculated channels", () => {
  it("point at the column, and quote ids that are no plain names", () => {
    expect(pointer("a + b", 5)).toBe("a + b\n    ^");
    expect(pointer("x".repeat(200), 150).split("\n")[1]?.indexOf("^")).toBe(50);
    expect([named("flow"), named("loop-flow")]).toEqual(["flow", '"loop-flow"']);
  });

  it("are added, checked while they are typed, and kept lean", async () => {
    const status = { channels: [inForce({ id: "loop-flow" })] } as unknown as Status;
    hear({ line: "live", since: 0, why: "", ended: null, status });
    const kept = { status: 200, body: { text: "", calculations: { format: 1, calculated: [] as object[] } } };
    const { sent } = serve({
      "GET /api/calculated": kept,
      "POST /api/calculated/check": {
        status: 200,
        body: [
          {
            id: "double",
            problem: "Column 3: a number is expected.",
            column: 3,
            interval_s: 1,
            uses: ["loop-flow"],
          },
        ],
      },
      "PUT /api/calculated": {
        status: 200,
        body: { key: "calculated", version: 1, in_force: true, sentence: "Version 1 is in force." },
      },
    });
    shown(<CalculatedPage />);
    const chip = await screen.findByRole("button", { name: "Loop flow [L/min]" });
    expect((chip as HTMLButtonElement).disabled).toBe(true); // no expression is open to take it
    await userEvent.click(await screen.findByRole("button", { name: "Add a channel" }));
    fireEvent.change(screen.getByLabelText("Name"), { target: { value: "Double" } });
    expect((screen.getByLabelText("Id, in files") as HTMLInputElement).value).toBe("double");
    fireEvent.change(screen.getByRole("textbox", { name: "Expression of Double" }), {
      target: { value: "2*" },
    });
    await userEvent.click(screen.getByRole("button", { name: "Loop flow [L/min]" }));
    expect(await screen.findByText("Column 3: a number is expected.")).toBeTruthy();
    expect(screen.getByText("Made from Loop flow. No other channel uses it.")).toBeTruthy();
    const part = { expression: "1", unit: "", decimals: 2, meet: "latest", filter: [], limits: noLimits };
    kept.body = {
      text: "saved",
      calculations: {
        format: 1,
        calculated: [
          { ...part, id: "other", name: "Other" },
          { ...part, id: "double", name: "Double" },
        ],
      },
    };
    await userEvent.click(screen.getByRole("button", { name: "Save" }));
    await vi.waitFor(() =>
      expect(sent).toContainEqual({
        calculations: {
          format: 1,
          calculated: [{ id: "double", name: "Double", expression: '2*"loop-flow"', unit: "", decimals: 2 }],
        },
        was: "",
      }),
    );
    expect(await screen.findByText("Version 1 is in force.")).toBeTruthy();
    // What was open stays open, and nothing else opens.
    expect(await screen.findByRole("button", { name: /^Other/, expanded: false })).toBeTruthy();
    expect(screen.getByRole("button", { name: /^Double/, expanded: true })).toBeTruthy();
  });
});

describe("the window of a channel that has no zero", () => {
  it("says what a state and a clock are, and offers limits", () => {
    shown(
      <ChannelWindow channel={inForce({ states: ["shut", "open"], unit: "" })} onClose={() => undefined} />,
    );
    expect(screen.getByText("A state: shut (0), open (1).")).toBeTruthy();
    expect(screen.queryByRole("button", { name: "Zero now" })).toBeNull();
    cleanup();
    shown(<ChannelWindow channel={inForce({ clock: true, unit: "s" })} onClose={() => undefined} />);
    expect(screen.getByText(/The device’s own time/)).toBeTruthy();
    expect(screen.getByRole("button", { name: "Set limits" })).toBeTruthy();
  });
});

describe("a channel of states", () => {
  const rows = ["RUN", "IDLE", "no-reading", "RUN"].map((mode) => previewRow({ fields: { mode } }));
  it("takes the words that came, and another one with one press", async () => {
    const set = vi.fn();
    const channel = channelPart({ field: "mode", states: ["RUN"], unit: "" });
    shown(<StateFields channel={channel} rows={rows} set={set} />);
    fireEvent.click(screen.getByRole("button", { name: "add IDLE" }));
    expect(set).toHaveBeenCalledWith({ states: ["RUN", "IDLE"] });
    const two = channelPart({ field: "mode", states: ["RUN", "IDLE"], marks: ["IDLE"], unit: "" });
    render(<MarkFields channel={two} set={set} />);
    await userEvent.click(screen.getByRole("checkbox", { name: "RUN" }));
    expect(set).toHaveBeenLastCalledWith({ marks: ["RUN", "IDLE"] });
    await userEvent.click(screen.getByRole("checkbox", { name: "IDLE" }));
    expect(set).toHaveBeenLastCalledWith({ marks: [] });
    expect(screen.queryByRole("button", { name: "add RUN" })).toBeNull();
  });
  it("is made of a number's field, and back, and a clock has its unit", () => {
    const channel = channelPart({ field: "mode", scale: 2, unit: "V" });
    expect(become(channel, "a state", rows)).toMatchObject({ states: ["RUN", "IDLE"], unit: "", scale: 1 });
    expect(become(channel, "the device’s own time", rows)).toMatchObject({
      clock: {},
      unit: "s",
      states: [],
    });
    expect(become(channel, "a number", rows)).toEqual({
      states: [],
      marks: [],
      clock: null,
      limits: noLimits,
    });
    expect([channelPart(), channelPart({ clock: {} }), channelPart({ states: ["a"] })].map(kindOf)).toEqual([
      "a number",
      "the device’s own time",
      "a state",
    ]);
  });
});
