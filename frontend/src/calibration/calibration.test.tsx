import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, render, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import type { ReactElement } from "react";
import { MemoryRouter } from "react-router";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { RunDetail } from "../api/client";
import { inForce, serve } from "../fixtures.test-setup";
import {
  allowedWords,
  type Calibration,
  rowWords,
  type Row,
  signed,
  stageWords,
  uncertaintyWords,
} from "./calibration";
import { CalibrationBegin } from "./CalibrationBegin";
import { Report } from "./CalibrationReport";
import { CalibrationTable } from "./CalibrationTable";
import { CorrectionPanel } from "./CorrectionPanel";
import { DeviationChart } from "./DeviationChart";

const row = (number: number, part: Partial<Row> = {}): Row => ({
  number, stage: "as found", name: "", note: "", by: "M", at: 1_795_416_800_000_000, void: false, gave_up: "", reference: 100 * number,
  shown: 100 * number + 0.61, sd: 0.0213, count: 50, deviation: 0.61, allowed: 0.5, verdict: "beyond", uncorrected: 100 * number + 0.61,
  residual: -0.012, ...part,
}); // prettier-ignore

const found = (part: Partial<Calibration> = {}): Calibration => ({
  rows: [row(1), row(2), row(3, { stage: "as left", deviation: -0.02, verdict: "within", residual: null })],
  stages: [
    { stage: "as found", points: 2, largest: 0.61, verdict: "beyond" },
    { stage: "as left", points: 1, largest: 0.02, verdict: "within" },
  ],
  correction: {
    step: { kind: "points", points: [[100.61, 100], [200.61, 200]], fit: "straight line", degree: 2 },
    words: "2 points, a straight line", largest: 0.012, residual_sd: 0.0144, expanded: 0.05123,
  },
  no_correction: "",
  plan: { channel: "p", standard: "tester 4", allowed: 0.5 },
  name: "Suction", unit: "kPa", decimals: 2, instrument: "Pressure pair", reference_name: "",
  before: { correction: "", zero: 0, certificate: null },
  after: {
    correction: "2 points, a straight line", zero: 0,
    certificate: { asset: "", serial: "", certificate: "C-17", range: "", uncertainty: "", expanded: 0.06, coverage: 2 },
  },
  taken_in: true,
  ...part,
}); // prettier-ignore

function open(element: ReactElement): void {
  const client = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  render(
    <QueryClientProvider client={client}>
      <MemoryRouter>{element}</MemoryRouter>
    </QueryClientProvider>,
  );
}

beforeEach(() => localStorage.clear());
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

describe("what a calibration came to, in words", () => {
  it("says it of rows and stages", () => {
    expect(rowWords(row(1))).toBe("out of tolerance");
    expect(rowWords(row(1, { verdict: "" }))).toBe("taken");
    expect(rowWords(row(1, { gave_up: "not steady for 10 s: Suction" }))).toBe(
      "given up: not steady for 10 s: Suction",
    );
    expect(rowWords(row(1, { void: true }))).toBe("taken out");
    const stage = { stage: "as found", points: 1, largest: 0.614, verdict: "beyond" } as const;
    expect(stageWords(stage, "kPa", 2)).toBe("out of tolerance, largest deviation 0.61 kPa, 1 point");
    expect(stageWords({ ...stage, verdict: "", largest: null, points: 0 }, "kPa", 2)).toBe("0 points");
  });
  it("gives a deviation its sign, and none to what is nothing", () => {
    expect([0.61, -0.02, -0.00003, 0].map((one) => signed(one, 3))).toEqual([
      "+0.610",
      "−0.020",
      "0.000",
      "0.000",
    ]);
  });
  it("writes an uncertainty with two digits, and what is allowed", () => {
    expect([0.05123, 12.47, 0.9986, 1234].map(uncertaintyWords)).toEqual(["0.051", "12", "1.0", "1200"]);
    expect(allowedWords({ channel: "p", standard: "", allowed: 0.5, allowed_percent: 0.1 }, "kPa")).toBe(
      "± 0.5 kPa + 0.1 % of the reference",
    );
    expect(allowedWords({ channel: "p", standard: "" }, "kPa")).toBe("");
  });
});

describe("the table and the chart", () => {
  it("has the points as found above those as left, each with its deviation", async () => {
    const corrected = vi.fn();
    open(<CalibrationTable found={found()} onCorrect={corrected} />);
    const rows = screen.getAllByRole("row").map((one) => one.textContent);
    expect(rows[1]).toContain("As found");
    expect(rows[2]).toContain("+0.610");
    expect(rows[2]).toContain("−0.0120");
    expect(rows[4]).toContain("As left");
    expect(rows[5]).toContain("−0.020");
    await userEvent.click(screen.getByRole("button", { name: "correct point 2" }));
    expect(corrected).toHaveBeenCalledWith(2);
  });
  it("draws a mark for every point that counts", () => {
    const rows = [
      row(1),
      row(2, { void: true }),
      row(3, { stage: "as left" }),
      row(4, { reference: null, deviation: null }),
    ];
    open(<DeviationChart found={{ rows, unit: "kPa" }} />);
    const chart = screen.getByRole("img", { name: "Deviation over reference" });
    expect(chart.querySelectorAll("circle")).toHaveLength(1);
    expect(chart.querySelectorAll("rect")).toHaveLength(1);
  });
});

describe("a calibration begins", () => {
  it("as a run with its rule, and remembers how", async () => {
    const { sent } = serve({ "POST /api/run": { status: 201, body: {} } });
    const channel = inForce();
    const begin = (
      <CalibrationBegin channel={channel} channels={[channel, inForce({ id: "tester", name: "Tester" })]} />
    );
    open(begin);
    await userEvent.type(screen.getByLabelText(/^Allowed ±/), "0,5");
    await userEvent.type(screen.getByLabelText(/^Steady within/), "0.2");
    await userEvent.click(screen.getByRole("button", { name: "Begin the calibration" }));
    expect(sent).toHaveLength(1);
    expect(sent[0]).toMatchObject({
      name: `Calibration of ${channel.name}`,
      points: { channels: { [channel.id]: { band: 0.2 } }, steady_s: 10, average_s: 10 },
      calibrates: { channel: channel.id, reference: null, allowed: 0.5 },
    });
    cleanup();
    open(begin);
    expect(screen.getByLabelText(/^Allowed ±/)).toHaveProperty("value", "0.5");
  });
  it("not of a calculated channel", () => {
    open(<CalibrationBegin channel={inForce({ expression: "a * 2" })} channels={[]} />);
    expect(screen.getByText(/has no correction of its own/)).toBeTruthy();
    expect(screen.queryByRole("button", { name: "Begin the calibration" })).toBeNull();
  });
});

describe("the correction", () => {
  it("says what it leaves and is taken in with its certificate", async () => {
    const { sent } = serve({
      "POST /api/run/correction": {
        status: 201,
        body: { sentence: "Version 3 is in force.", in_force: true },
      },
    });
    const taken = vi.fn();
    open(
      <CorrectionPanel
        run="r"
        found={found({ taken_in: false })}
        fit="straight line"
        degree={2}
        onFit={vi.fn()}
        onTaken={taken}
      />,
    );
    expect(screen.getByText("0.0120 kPa")).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "± 0.051 into the certificate" }));
    await userEvent.click(screen.getByRole("button", { name: "Take the correction in" }));
    expect(taken).toHaveBeenCalledWith("Version 3 is in force. Now take the points as left.");
    expect(sent).toEqual([
      {
        run: "r", fit: "straight line", degree: 2,
        certificate: { asset: "", serial: "", certificate: "", range: "", uncertainty: "", coverage: 2, expanded: 0.051 },
      },
    ]); // prettier-ignore
  });
  it("says why there is none", () => {
    const none = found({ correction: null, no_correction: "There is no point yet.", taken_in: false });
    open(<CorrectionPanel run="r" found={none} fit="offset" degree={2} onFit={vi.fn()} onTaken={vi.fn()} />);
    expect(screen.getByText("There is no point yet.")).toBeTruthy();
    expect(screen.getByRole("button", { name: "Take the correction in" })).toHaveProperty("disabled", true);
  });
});

describe("the report", () => {
  const run = { id: "r", name: "Calibration of Suction", item: "PT-11", operator: "M", notes: "", begun_at: 1e15, ended_at: null, folder: "/x" }; // prettier-ignore
  it("says what was found, what was taken in, and what was left", () => {
    open(<Report run={run as unknown as RunDetail} found={found()} />);
    expect(
      screen.getByText(/^out of tolerance, largest deviation 0.610 kPa, 2 points/, { exact: false }),
    ).toBeTruthy();
    expect(screen.getByText(/Taken in: 2 points, a straight line. Before there was none./)).toBeTruthy();
    expect(screen.getByText(/100.61 → 100; 200.61 → 200/)).toBeTruthy();
    const certificate = screen.getByText("C-17").closest("dl");
    expect(within(certificate as HTMLElement).getByText("± 0.06 kPa (k = 2)")).toBeTruthy();
  });
  it("says that nothing was taken in", () => {
    open(
      <Report
        run={run as unknown as RunDetail}
        found={found({ taken_in: false, stages: found().stages.slice(0, 1) })}
      />,
    );
    expect(screen.getByText(/None was taken in. In force: none./)).toBeTruthy();
    expect(screen.getByText(/no point was taken/)).toBeTruthy();
  });
});
