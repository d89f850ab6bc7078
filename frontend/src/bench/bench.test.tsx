import { cleanup, render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { Instrument, Stage, Status } from "../api/client";
import { InstrumentColumn } from "./InstrumentColumn";
import { RunStrip } from "./RunStrip";
import { BeginWindow, EndWindow, remember } from "./RunWindows";

const stage = (name: Stage["name"], state: Stage["state"] = "passing", words = "", sentence = "All well."): Stage => ({
  name, state, words, sentence,
}); // prettier-ignore

const well = (): Stage[] => [
  stage("Port"), stage("Bytes"), stage("Messages"), stage("Readings"), stage("Channels"),
]; // prettier-ignore

const instrument = (stages: Stage[] = well()): Instrument => ({
  id: "loop-flow-meter", name: "Loop flow meter", talks: "when asked", link: "port 3", settings: "9600 8-N-1",
  asked_per_s: 5, messages_per_s: 5, answer_ms: 29, stages, simulated: false,
}); // prettier-ignore

const status = (run: Partial<NonNullable<Status["run"]>> | null): Status => ({
  at: 0, session: "s", pid: 1, instruments: [instrument()], released: [],
  channels: [{ number: 1, id: "f", name: "Loop flow", unit: "L/min", decimals: 1, interval_s: 0.2, instrument: "i", low: 60, high: 165 }],
  disk: { free_bytes: 1e11, hours_left: 5040 },
  run: run && {
    id: "r", name: "Pump 7 acceptance", item: "P7-0413", operator: "M. Okafor", row_rule: "steady rows",
    begun_at: (Date.now() - 872_000) * 1000, folder: "/runs/x", csv: "pump-7.csv", rows: 4361,
    saved_at: (Date.now() - 400) * 1000, polls: 9000, missed: 0, gave_up: 0, troubles: [], repairs: [], marks: [], ...run,
  },
}); // prettier-ignore

const nothing = (): void => undefined;

function strip(of: Status, verdict: { out: string[]; known: boolean } = { out: [], known: true }): void {
  render(
    <RunStrip
      status={of}
      verdict={verdict}
      ended={null}
      onBegin={nothing}
      onMark={nothing}
      onEnd={nothing}
    />,
  );
}

/** Answers of the web server, by method and path. */
function serve(answers: Record<string, { status: number; body: unknown }>): { sent: unknown[] } {
  const sent: unknown[] = [];
  vi.stubGlobal("fetch", async (request: Request) => {
    const text = await request.text();
    if (text) sent.push(JSON.parse(text));
    const answer = answers[`${request.method} ${new URL(request.url).pathname}`] ?? {
      status: 404,
      body: { detail: "?" },
    };
    const body = answer.status === 204 ? null : JSON.stringify(answer.body);
    return new Response(body, { status: answer.status, headers: { "Content-Type": "application/json" } });
  });
  return { sent };
}

beforeEach(() => localStorage.clear());
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

describe("the run strip", () => {
  it("is pale while idle, and says that nothing is written", () => {
    strip(status(null));
    expect(screen.getByText("Not logging")).toBeTruthy();
    expect(screen.getByText(/nothing is written to a file/)).toBeTruthy();
  });

  it("says since when, what, how much and how safe while logging", () => {
    strip(status({}));
    expect(screen.getByTestId("elapsed").textContent).toBe("00:14:32");
    expect(screen.getByTestId("rows").textContent).toMatch(/^4 361 rows, saved 0\.\d s ago$/);
    expect(screen.getByText("all within limits")).toBeTruthy();
    expect(screen.getByText("disk for 210 days")).toBeTruthy();
  });

  it("counts what was lost and names what is outside its limits", () => {
    strip(status({ missed: 2, gave_up: 1 }), { out: ["Loop flow"], known: true });
    expect(screen.getByTestId("rows").textContent).toContain("3 polls lost");
    expect(screen.getByText("outside limits: Loop flow")).toBeTruthy();
  });

  it("does not call it within limits when nothing was measured", () => {
    strip(status({}), { out: [], known: false });
    expect(screen.queryByText("all within limits")).toBeNull();
  });
});

describe("instruments", () => {
  const column = (stages: Stage[]): void => {
    render(<InstrumentColumn instruments={[instrument(stages)]} onAdd={nothing} onChange={nothing} />);
  };

  it("shows the rate while all is well", () => {
    column(well());
    expect(screen.getByText("5.0/s")).toBeTruthy();
    expect(screen.getAllByRole("button", { name: /: passing$/ })).toHaveLength(5);
  });

  it("names the first stage that has stopped, and opens its evidence", async () => {
    const stages = well();
    stages[1] = stage("Bytes", "stopped", "silent", "No bytes for 12 s. The port is open. Check power.");
    column(stages);
    expect(screen.getByText("silent")).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Bytes: stopped, silent" }));
    expect(screen.getByRole("dialog", { name: "Loop flow meter" })).toBeTruthy();
    expect(screen.getByText(/Check power/)).toBeTruthy();
  });

  it("offers to take back a port that was released", async () => {
    const { sent } = serve({ "POST /api/ports/take-back": { status: 204, body: null } });
    column([stage("Port", "stopped", "released"), ...well().slice(1)]);
    await userEvent.click(screen.getByRole("button", { name: "Port: stopped, released" }));
    await userEvent.click(screen.getByRole("button", { name: "Take the port back" }));
    expect(sent).toEqual([{ link: "port 3" }]);
  });

  it("says why an instrument cannot be removed", async () => {
    serve({
      "DELETE /api/setups/loop-flow-meter": { status: 409, body: { detail: "A run is on. End it first." } },
    });
    column(well());
    await userEvent.click(screen.getByRole("button", { name: "Port: passing" }));
    await userEvent.click(screen.getByRole("button", { name: "Remove" }));
    expect((await screen.findByRole("alert")).textContent).toBe("A run is on. End it first.");
  });
});

describe("beginning and ending", () => {
  it("begins with what the last run was called, and sends what was typed", async () => {
    remember({ name: "Pump 7", item: "", operator: "M. Okafor", row_rule: "each reading" });
    const { sent } = serve({ "POST /api/run": { status: 201, body: {} } });
    const closed = vi.fn();
    render(<BeginWindow onClose={closed} onBegun={nothing} />);
    await userEvent.type(screen.getByLabelText("Test item"), "P7-0414");
    await userEvent.click(screen.getByRole("button", { name: "Begin logging" }));
    expect(sent).toEqual([
      { name: "Pump 7", item: "P7-0414", operator: "M. Okafor", row_rule: "each reading" },
    ]);
    expect(closed).toHaveBeenCalled();
  });

  it("stays open and says why a run cannot begin", async () => {
    serve({ "POST /api/run": { status: 507, body: { detail: "Only 12 MB are free." } } });
    const closed = vi.fn();
    render(<BeginWindow onClose={closed} onBegun={nothing} />);
    await userEvent.type(screen.getByLabelText("Name"), "x");
    await userEvent.click(screen.getByRole("button", { name: "Begin logging" }));
    expect((await screen.findByRole("alert")).textContent).toBe("Only 12 MB are free.");
    expect(closed).not.toHaveBeenCalled();
  });

  it("says so in words when the server does not answer at all", async () => {
    vi.stubGlobal("fetch", () => Promise.reject(new TypeError("Failed to fetch")));
    render(<BeginWindow onClose={nothing} onBegun={nothing} />);
    await userEvent.type(screen.getByLabelText("Name"), "x");
    await userEvent.click(screen.getByRole("button", { name: "Begin logging" }));
    expect((await screen.findByRole("alert")).textContent).toMatch(/does not answer.*logged goes on/);
  });

  it("asks before it ends a run, and says when someone else already did", async () => {
    serve({ "POST /api/run/end": { status: 409, body: { detail: "It was ended already." } } });
    const run = status({}).run;
    if (!run) throw new Error("no run");
    render(<EndWindow run={run} onClose={nothing} />);
    expect(screen.getByRole("alertdialog", { name: "End “Pump 7 acceptance”?" })).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "End the run" }));
    expect((await screen.findByRole("alert")).textContent).toBe("It was ended already.");
  });
});
