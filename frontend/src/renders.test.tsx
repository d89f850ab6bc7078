import { QueryClientProvider } from "@tanstack/react-query";
import { act, cleanup, render, screen } from "@testing-library/react";
import { Profiler } from "react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { LiveMessage, Status } from "./api/client";
import { queries } from "./api/queries";
import { App } from "./App";
import { allWithin, inForce, instrument, serve } from "./fixtures.test-setup";
import { connection } from "./live/connection";
import { Routed } from "./routed.test-setup";

const status = (run: Status["run"] = null): Status => ({
  at: 1e15, session: "s", pid: 1, instruments: [instrument(), instrument({ id: "other", name: "Other" })], ports: [],
  channels: [inForce()], crossings: [], safe: [],
  reactions: [], procedures: [], curves: [], captures: [], destinations: [], overdue: [], version: "0", zone: "", verdict: allWithin, run,
  disk: { free_bytes: 1e11, hours_left: 5040 },
}); // prettier-ignore

const run = {
  id: "r", name: "Pump 7", item: "", operator: "", order: "", row_rule: { kind: "steady rows", every_s: 0, age_s: 0, values: ["latest"], daily: false, file_mb: 0 }, ends: { when: [] }, ends_at: null,
  unsettled: [], carry_on: false, begun_by: "", lead_us: 0, points: 0, taking: null, calibrates: null, begun_at: 1e15, folder: "/x", csv: "x.csv", rows: 5,
  saved_at: 1e15, counts: { sequence: 9, polls: 9, missed: 0, gave_up: 0, lost: 0 }, troubles: [], repairs: [], marks: [],
} satisfies Status["run"]; // prettier-ignore

let at = 1e15;
const tell = (message: Partial<LiveMessage>): void => {
  const heard = connection as unknown as { text: (message: unknown) => void };
  act(() => heard.text({ why: "", ...message }));
};
const change = (...changes: [(string | number)[], unknown][]): void => {
  const since = at;
  at += 250_000;
  tell({ kind: "change", since, changes: [[["at"], at], ...changes] as LiveMessage["changes"] });
};

/** The application with a bench; gives what was drawn since it was asked last, and which parts of the page that touched. */
async function shown(of: Status): Promise<{ commits: () => number; touched: () => Element[] }> {
  let commits = 0;
  serve({ "GET /api/health": { status: 200, body: { question: null } } });
  at = of.at;
  tell({ kind: "status", status: of });
  render(
    <QueryClientProvider client={queries}>
      <Routed at="/">
        <Profiler id="app" onRender={() => commits++}>
          <App />
        </Profiler>
      </Routed>
    </QueryClientProvider>,
  );
  await screen.findByTestId("instrument-other");
  await act(() => new Promise((done) => setTimeout(done, 50)));
  const observer = new MutationObserver(() => undefined);
  observer.observe(document.body, { subtree: true, childList: true, characterData: true, attributes: true });
  const counted = (): number => {
    const since = commits;
    commits = 0;
    return since;
  };
  counted();
  const elementOf = ({ target }: MutationRecord): Element =>
    target instanceof Element ? target : (target.parentElement ?? document.body);
  return { commits: counted, touched: () => observer.takeRecords().map(elementOf) };
}

beforeEach(() => {
  localStorage.clear();
  vi.stubGlobal(
    "ResizeObserver",
    class {
      observe = (): void => undefined;
      unobserve = (): void => undefined;
      disconnect = (): void => undefined;
    },
  );
});
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

describe("a status", () => {
  it("that changes nothing draws nothing", async () => {
    const { commits } = await shown(status());
    for (let n = 0; n < 8; n++) change();
    expect(commits()).toBe(0);
  });
  it("draws only what it changes: an instrument's rate its own card", async () => {
    const { commits, touched } = await shown(status());
    change([["instruments", 1, "messages_per_s"], 7.5]);
    expect(screen.getByText("7.5/s")).toBeTruthy();
    expect(commits()).toBe(1);
    const card = screen.getByTestId("instrument-other");
    expect(touched().every((one) => card.contains(one))).toBe(true);
  });
  it("draws only what it changes: a row the run strip", async () => {
    const { touched } = await shown(status(run));
    change([["run", "rows"], 6]);
    expect(screen.getByTestId("rows").textContent).toBe("6 rows");
    const strip = screen.getByRole("region", { name: "Run" });
    expect(touched().every((one) => strip.contains(one))).toBe(true);
  });
});
