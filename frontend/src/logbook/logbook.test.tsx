import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { act, cleanup, render, renderHook, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import type { ReactElement } from "react";
import { MemoryRouter, Route, Routes } from "react-router";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { Comparison, RunDetail, RunRow } from "../api/client";
import { themes } from "../look/theme";
import { Cursor } from "../bench/cursor";
import { blank, remembered } from "../bench/plan";
import { happeningsOf } from "./happeningsOf";
import { Logbook } from "./Logbook";
import { PointsBeside } from "./PointsBeside";
import { ReadAgain } from "./ReadAgain";
import { RunPage } from "./RunPage";
import { useRunView } from "./useRunView";
import { ZoomControls } from "./ZoomControls";

type Answers = Record<string, { status?: number; body: unknown }>;

/** Answers of the web server, by path; gives the addresses that were asked for. */
function serve(answers: Answers): string[] {
  const asked: string[] = [];
  vi.stubGlobal("fetch", async (request: Request | string) => {
    const url = new URL(typeof request === "string" ? request : request.url, location.origin);
    asked.push(url.pathname + url.search);
    const answer = answers[url.pathname] ?? { status: 404, body: { detail: `nothing at ${url.pathname}` } };
    if (answer.body instanceof ArrayBuffer) return new Response(answer.body);
    const headers = { "Content-Type": "application/json" };
    return new Response(JSON.stringify(answer.body), { status: answer.status ?? 200, headers });
  });
  return asked;
}

function show(element: ReactElement, at = "/"): void {
  const client = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  render(
    <QueryClientProvider client={client}>
      <MemoryRouter initialEntries={[at]}>{element}</MemoryRouter>
    </QueryClientProvider>,
  );
}

const row = (more: Partial<RunRow> = {}): RunRow => ({
  id: "6a1f6f0e-0000-4000-8000-000000000001", name: "Pump 7 acceptance", item: "P7-0413", operator: "M. Okafor", order: "",
  begun_at: 1_795_416_791_000_000, ended_at: 1_795_417_271_000_000, status: "ended", reason: "ended by a person",
  channels: 3, samples: 3840, complete: true, alarms: 0, limited: true, removed_at: null, gone: false, bytes: 40_000, ...more,
}); // prettier-ignore

const detail = (more: Partial<RunDetail> = {}): RunDetail => ({
  ...row(), begun_by: "", lead_us: 0, glance: [], copy_to: "", copied_at: null, copy_trouble: "", taken_out: "", points: { rule: null, points: [], earlier: [] }, calibrates: null, csv_files: [], notes: "", fields: {}, row_rule: "steady rows", folder: "/runs/x", csv: "pump-7.csv", counts: { sequence: 7, polls: 3840, missed: 0, gave_up: 0, lost: 0 },
  repairs: [], crossings_in_all: 1, crossings: [{ at: 1_795_416_900_000_000, channel: 0, name: "Loop flow", state: "high", before: "", value: 203.25, limit: 200, words: "", word: "" }], marks: [{ at: 1_795_416_800_000_000, text: "valve to 60 %", by: "M. Okafor" }],
  numbers: [
    { number: 1, id: "f", name: "Loop flow", unit: "L/min", decimals: 1, interval_s: 0.2, instrument: "i", low: 60,
      high: 165, clock: false, timed_by: 0, states: [], usual: [], statistics: { samples: 2400, measured: 2398, minimum: 126.71, maximum: 194.1, mean: 151.68, first: 1, last: 2, qualities: {}, states: {} } },
    { number: 2, id: "p", name: "Pressure", unit: "bar", decimals: 2, interval_s: 1, instrument: "i", low: null,
      high: null, clock: false, timed_by: 0, states: [], usual: [], statistics: { samples: 0, measured: 0, minimum: null, maximum: null, mean: null, first: null, last: null, qualities: {}, states: {} } },
  ],
  ...more,
}); // prettier-ignore

beforeEach(() => {
  localStorage.clear();
  vi.stubGlobal(
    "ResizeObserver",
    class {
      observe(): void {}
      unobserve(): void {}
      disconnect(): void {}
    },
  );
});
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

describe("what happened in a run", () => {
  it("stands on the lane of its channel, which the table of crossings names and does not number", () => {
    const { crossings } = happeningsOf(detail());
    expect(crossings).toEqual([{ channel: 1, at: 1_795_416_900_000, value: 203.25, serious: true }]);
    const other = {
      ...detail().crossings[0],
      name: "Flow meter",
      state: "stopped",
    } as RunDetail["crossings"][0];
    expect(happeningsOf(detail({ crossings: [other] })).crossings).toEqual([]);
  });
});

describe("the list of runs", () => {
  it("shows runs with their state", async () => {
    serve({
      "/api/runs": {
        body: {
          total: 2,
          next: "",
          runs: [row(), row({ id: "2", name: "Night", status: "interrupted", alarms: 3 })],
        },
      },
    });
    show(<Logbook />);
    expect(await screen.findByRole("link", { name: "Pump 7 acceptance" })).toBeTruthy();
    expect(within(screen.getByRole("table")).getByText("interrupted")).toBeTruthy();
    expect(screen.getAllByText("8 min 00 s")).toHaveLength(2);
    const table = within(screen.getByRole("table"));
    expect(table.getByText("within limits")).toBeTruthy();
    expect(table.getByText("◆ beyond 3 times")).toBeTruthy();
  });

  it("is sorted, filtered, and read a page after the other", async () => {
    const asked = serve({
      "/api/runs": { body: { total: 120, next: "there", runs: [row()] } },
      "/api/runs/sketches": { body: [{ id: row().id, channel: "Loop flow", values: [1, 2, null, 4] }] },
    });
    show(<Logbook />);
    expect(await screen.findByText("1 to 1 of 120")).toBeTruthy();
    expect(await screen.findByLabelText("Loop flow over the run, 1 to 4")).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Further" }));
    await waitFor(() => expect(asked.some((one) => one.includes("after=there"))).toBe(true));
    await userEvent.click(screen.getByRole("button", { name: "Test item" }));
    await waitFor(() => expect(asked.at(-1)).toMatch(/sort=item&falling=false&removed=false&after=&/));
    expect(screen.getByRole("columnheader", { name: /Test item/ }).getAttribute("aria-sort")).toBe(
      "ascending",
    );
  });

  it("says what goes there when there is none", async () => {
    serve({ "/api/runs": { body: { total: 0, next: "", runs: [] } } });
    show(<Logbook />);
    expect(await screen.findByText(/Every run you log is kept here/)).toBeTruthy();
  });

  it("asks for what is looked for, and says when nothing is found", async () => {
    const asked = serve({ "/api/runs": { body: { total: 0, next: "", runs: [] } } });
    show(<Logbook />);
    await userEvent.type(await screen.findByLabelText(/Find in all/), "x%");
    expect(await screen.findByText("No run is like that. Take a word or a filter away.")).toBeTruthy();
    expect(asked.at(-1)).toContain("search=x%25");
  });

  it("says when the database is away", async () => {
    serve({ "/api/runs": { status: 503, body: { detail: "The database does not answer." } } });
    show(<Logbook />);
    expect((await screen.findByRole("alert")).textContent).toBe("The database does not answer.");
  });
});

describe("one run", () => {
  const page = (
    <Routes>
      <Route path="/logbook/:id" element={<RunPage theme={themes.day} />} />
      <Route path="/" element={<p>the Bench</p>} />
    </Routes>
  );
  const answers = (more: Partial<RunDetail> = {}): Answers => ({
    "/api/runs/1": { body: detail(more) },
    [`/api/runs/${row().id}/trend`]: { body: new ArrayBuffer(0) },
  });

  it("shows numbers, marks and the way to the CSV", async () => {
    serve(answers());
    show(page, "/logbook/1");
    expect((await screen.findByRole("link", { name: "Download the CSV" })).getAttribute("href")).toBe(
      `/api/runs/${row().id}/csv`,
    );
    expect(screen.getByText("151.7")).toBeTruthy();
    expect(screen.getByText("2 398 of 2 400")).toBeTruthy();
    expect(screen.getByText("valve to 60 %")).toBeTruthy();
    expect(screen.getByText("3 840 polls, all answered")).toBeTruthy();
  });

  it("shows some of thousands of marks, finds the others, and says where the crossings are that it does not have", async () => {
    const marks = Array.from({ length: 10_000 }, (_, n) => ({
      at: 1_795_416_800_000_000 + n,
      text: `valve ${n}`,
      by: "N",
    }));
    const [one] = detail().crossings;
    if (!one) throw new Error("no crossing");
    serve(answers({ marks, crossings: Array.from({ length: 2000 }, () => one), crossings_in_all: 23_456 }));
    show(page, "/logbook/1");
    const table = await screen.findByRole("table", { name: "Marks" });
    expect(within(table).getAllByRole("row")).toHaveLength(100);
    expect(screen.getByText(/The first 100 of 10 000 are shown/)).toBeTruthy();
    await userEvent.click(
      within(table.parentElement as HTMLElement).getAllByRole("button", {
        name: "Show 100 more",
      })[0] as HTMLElement,
    );
    expect(within(table).getAllByRole("row")).toHaveLength(200);
    await userEvent.type(screen.getByLabelText("Find in the marks"), "9999 n");
    expect(within(table).getAllByRole("row")).toHaveLength(1);
    expect(within(table).getByText("valve 9999")).toBeTruthy();
    await userEvent.type(screen.getByLabelText("Find in the marks"), "q");
    expect(screen.getByText("No mark has these words.")).toBeTruthy();
    expect(screen.getByText(/23 456 times. The first 2 000 are on this page/)).toBeTruthy();
    expect(within(screen.getByRole("table", { name: "Alarms and limits" })).getAllByRole("row")).toHaveLength(
      100,
    );
  });

  it("never invents a number for a channel without one", async () => {
    serve(answers());
    show(page, "/logbook/1");
    const cells = (await screen.findByText("Pressure, bar")).closest("tr")?.querySelectorAll("td");
    expect(Array.from(cells ?? [], (cell) => cell.textContent).slice(1, 4)).toEqual(["–", "–", "–"]);
  });

  it("is asked, keeps an answer when told to, and takes it out again", async () => {
    const answer = {
      words: "Loop flow: −3.10 ± 0.02 L/min/h, r² 0.9", method: "Straight line by least squares.",
      start: 1795416792000000, end: 1795417272000000, samples: 2398, left_out: 2, overlays: [], plot: null,
      results: [{ name: "Slope", value: -3.1, unit: "L/min/h", uncertainty: 0.02, at: null, decimals: null }],
    }; // prettier-ignore
    const path = `/api/runs/${row().id}`;
    const asked = serve({
      ...answers(),
      [`${path}/questions`]: { body: answer },
      [`${path}/answers`]: { body: [] },
    });
    show(page, "/logbook/1");
    await userEvent.click(await screen.findByRole("button", { name: "slope" }));
    const card = await screen.findByRole("article", { name: `Answer: ${answer.words}` });
    expect(card.textContent).toContain("−3.100 ± 0.020 L/min/h");
    expect(card.textContent).toContain("2 398 samples, 2 not measured");
    await userEvent.click(screen.getByRole("button", { name: "How it was found" }));
    expect(card.textContent).toContain("Straight line by least squares.");
    await userEvent.click(screen.getByRole("button", { name: "Take away" }));
    expect(screen.queryByRole("article")).toBeNull();
    expect(asked.some((one) => one.includes("/questions"))).toBe(true);
  });

  it("says why a question has no answer", async () => {
    const detail =
      "Loop flow has one measured sample in this stretch, and 3 are wanted. Choose a longer stretch.";
    serve({ ...answers(), [`/api/runs/${row().id}/questions`]: { status: 409, body: { detail } } });
    show(page, "/logbook/1");
    await userEvent.click(await screen.findByRole("button", { name: "slope" }));
    expect(await screen.findByText(detail)).toBeTruthy();
  });

  it("says what was lost and what was mended", async () => {
    serve(
      answers({
        counts: { sequence: 7, polls: 3840, missed: 2, gave_up: 1, lost: 0 },
        status: "interrupted",
        repairs: ["The CSV's last row was torn."],
      }),
    );
    show(page, "/logbook/1");
    expect(await screen.findByText("3 840 polls, 1 without reply, 2 missed")).toBeTruthy();
    expect(screen.getByText(/After an interruption: The CSV's last row was torn/)).toBeTruthy();
  });

  it("repeats what was planned, with a new test item", async () => {
    const plan = {
      ...blank,
      name: "Pump 7 acceptance",
      item: "P7-0413",
      order: "A-17",
      ends: { when: [], rows: 9 },
    };
    const planned = "/api/runs/6a1f6f0e-0000-4000-8000-000000000001/plan";
    serve({ ...answers(), [planned]: { status: 200, body: plan } });
    show(page, "/logbook/1");
    await userEvent.click(await screen.findByRole("button", { name: "Repeat with a new test item" }));
    expect(await screen.findByText("the Bench")).toBeTruthy();
    expect(remembered()).toEqual({ ...plan, item: "" });
  });

  it("shows the order number, the shop's own fields and the notes", async () => {
    serve(answers({ order: "A-17", fields: { Impeller: "bronze" }, notes: "second try" }));
    show(page, "/logbook/1");
    expect(await screen.findByText("A-17")).toBeTruthy();
    expect(screen.getByText("bronze")).toBeTruthy();
    expect(screen.getByText("second try")).toBeTruthy();
  });

  it("says what began it, and how much of it is from memory", async () => {
    const glance = [
      { matter: "disk" as const, well: true, words: "The run needs about 3 MB.", todo: "" },
      { matter: "clock" as const, well: false, words: "The computer's clock is not synchronised.", todo: "" },
    ];
    serve(answers({ begun_by: "Loop flow above 50 L/min", lead_us: 300_000_000, glance }));
    show(page, "/logbook/1");
    expect(await screen.findByText("Loop flow above 50 L/min")).toBeTruthy();
    expect(screen.getByText("the first 5 min 00 s: measured before it was begun")).toBeTruthy();
    expect(screen.getByText("The computer's clock is not synchronised.")).toBeTruthy();
    expect(screen.queryByText("The run needs about 3 MB.")).toBeNull();
  });

  it("says whether its copy is there", async () => {
    const trouble = "The folder /mnt/x is not there.";
    serve(answers({ copy_to: "/mnt/x", copy_trouble: trouble }));
    show(page, "/logbook/1");
    expect(await screen.findByText(`not yet in /mnt/x: ${trouble}`)).toBeTruthy();
    cleanup();
    serve(answers({ copy_to: "/mnt/x", copied_at: 1_795_417_300_000_000 }));
    show(page, "/logbook/1");
    expect(await screen.findByText(/^verified in \/mnt\/x since /)).toBeTruthy();
  });

  it("lists the CSV’s files where there are several", async () => {
    const csv_files = [1, 2].map((number) => ({
      number, name: `pump-7_00${number}.csv`, bytes: 51_230 * number, first_at: 1_795_416_791_000_000 + number * 86_400e6,
    })); // prettier-ignore
    serve(answers({ csv_files }));
    show(page, "/logbook/1");
    const list = await screen.findByRole("table", { name: "Files of the CSV" });
    const links = within(list).getAllByRole("link");
    expect(links.map((one) => one.getAttribute("href"))).toEqual(
      [1, 2].map((n) => `/api/runs/${row().id}/csv?file=${n}`),
    );
    expect(list.textContent).toContain("51.2 kB");
    expect(screen.getByRole("link", { name: "The CSV’s 2 files" }).getAttribute("href")).toBe("#csv");
  });
  it("sets, corrects and takes out marks after the end, and tells their history", async () => {
    const place = `/api/runs/${row().id}/marks`;
    const sent: { method: string; body: unknown }[] = [];
    const answers_: Answers = { ...answers(), [place]: { body: { marks: [] } } };
    answers_[`${place}/history`] = {
      body: [
        { at: 1_795_416_800_000_000, text: "valve to 60 %", by: "N", written_at: 1_795_417_900_000_000, before: "valve 60", void: false },
        { at: 1_795_416_802_000_000, text: "a knock", by: "N", written_at: 1_795_417_900_000_000, before: "", void: false },
        { at: 1_795_416_802_000_000, text: "a knock", by: "N", written_at: 1_795_417_950_000_000, before: "a knock", void: true },
      ],
    }; // prettier-ignore
    serve(answers_);
    const asked = fetch;
    vi.stubGlobal("fetch", async (request: Request) => {
      if (request.method !== "GET") sent.push({ method: request.method, body: await request.clone().json() });
      return asked(request);
    });
    show(page, "/logbook/1");
    await userEvent.click(await screen.findByRole("button", { name: "set a mark" }));
    await userEvent.type(screen.getByLabelText("What happened"), "a knock");
    await userEvent.clear(screen.getByLabelText("After the beginning"));
    await userEvent.type(screen.getByLabelText("After the beginning"), "11.5");
    await userEvent.click(screen.getByRole("button", { name: "Set the mark" }));
    await userEvent.click(await screen.findByRole("button", { name: "correct valve to 60 %" }));
    await userEvent.click(screen.getByRole("switch"));
    await userEvent.click(screen.getByRole("button", { name: "Take out" }));
    expect(sent).toEqual([
      { method: "POST", body: { at: 1_795_416_802_500_000, text: "a knock", by: "M. Okafor" } },
      {
        method: "PATCH",
        body: {
          at: 1_795_416_800_000_000, text: "valve to 60 %", by: "M. Okafor", before: "valve to 60 %", void: true,
        },
      },
    ]); // prettier-ignore
    await userEvent.click(screen.getByRole("button", { name: "history" }));
    const list = await screen.findByRole("table", { name: "History of the marks" });
    expect(list.textContent).toContain("valve 60 → valve to 60 %");
    expect(list.textContent).toContain("taken out: a knock");
  });
  it("shows test points beside those of another run, with what is sure of the difference", async () => {
    const key = row().id;
    const other = "6a1f6f0e-0000-4000-8000-000000000002";
    const channel = {
      id: "eff", name: "Efficiency", unit: "%", decimals: 1, first: 54.1, first_expanded: 0.9, second: 56.4,
      second_expanded: 1.1, difference: 2.3, expanded: 1.42, finding: "apart" as const,
    }; // prettier-ignore
    const alone = {
      ...channel,
      second: null,
      second_expanded: null,
      difference: null,
      expanded: null,
      finding: "" as const,
    };
    serve({
      [`/api/runs/${key}/points/others`]: {
        body: [{ id: other, name: "The repeat", item: "P7-0413", begun_at: 1_795_416_791_000_000 }],
      },
      [`/api/runs/${key}/points/beside/${other}`]: {
        body: {
          pairs: [
            { name: "valve 40 %", first: 1, second: 2, channels: [channel] },
            { name: "valve 30 %", first: 2, second: null, channels: [alone] },
          ],
        },
      },
    });
    show(<PointsBeside run={key} />);
    await userEvent.click(await screen.findByRole("button", { name: /Beside the points of/ }));
    await userEvent.click(await screen.findByRole("option", { name: /The repeat, P7-0413/ }));
    const table = await screen.findByRole("table", { name: "Points beside those of the other run" });
    const cells = within(table).getAllByRole("cell");
    expect(cells[1]?.textContent).toBe("+2.30 ± 1.454.10 → 56.40");
    expect(cells[1]?.className).toBe("apart");
    expect(cells[3]?.textContent).toBe("–54.10 → –");
    expect(table.textContent).toContain("only in this run");
  });
  it("checks the seal, and says what has changed", async () => {
    const place = `/api/runs/${row().id}`;
    const seal = { sealed_at: 1_795_417_272_000_000, fingerprint: "3f2c4d5d9ab1f00c", files: 9, bytes: 12 };
    const answer = { seal, problems: [] as string[], checked_at: 1_795_417_300_000_000 };
    serve({
      ...answers(),
      [`${place}/seal`]: { body: seal },
      [`${place}/verify`]: { body: answer },
    });
    show(page, "/logbook/1");
    expect(await screen.findByText("3f2c 4d5d 9ab1 f00c")).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "check the seal" }));
    expect((await screen.findByText(/nothing has changed since/)).textContent).toMatch(/^Checked/);
    answer.problems = ["x.csv has changed."];
    await userEvent.click(screen.getByRole("button", { name: "check the seal" }));
    expect(await screen.findByText("x.csv has changed.")).toBeTruthy();
    expect(screen.queryByText(/nothing has changed/)).toBeNull();
  });

  it("says of what its readouts are, with the cursor and without", () => {
    const cursor = new Cursor();
    const { result } = renderHook(() => useRunView(0, 1000));
    render(<ZoomControls shown={result.current} whole="mean of the run" cursor={cursor} />);
    expect(screen.getByText("mean of the run")).toBeTruthy();
    act(() => cursor.hover(500));
    expect(screen.queryByText("mean of the run")).toBeNull();
    expect(screen.getByText("at the cursor")).toBeTruthy();
    act(() => cursor.hover(null));
    expect(screen.getByText("mean of the run")).toBeTruthy();
  });
  it("says when there is no such run", async () => {
    serve({ "/api/runs/1": { status: 404, body: { detail: "The logbook has no such run." } } });
    show(page, "/logbook/1");
    expect((await screen.findByRole("alert")).textContent).toBe("The logbook has no such run.");
  });
});

describe("reading a run again", () => {
  const key = row().id;
  const side = (measured: number, not_understood: number, mean: number | null): Comparison["logged"] => ({
    samples: 10, measured, mean, minimum: mean, maximum: mean, first: 1, last: 2, qualities: { "not-understood": not_understood }, states: {},
  }); // prettier-ignore
  it("shows what was logged beside its result, and keeps it as another version", async () => {
    const channels: Comparison[] = [
      { id: "f", name: "Loop flow", unit: "L/min", logged: side(4, 6, 150), again: side(10, 0, 151) },
      { id: "p", name: "Pressure", unit: "bar", logged: side(10, 0, 2), again: side(10, 0, 2) },
    ];
    const curve = (words: string) => ({
      number: 1, curve: "w", name: "Winding sweep", source: "table", begun_at: 1_795_416_791_000_000, state: "complete",
      columns: [{ name: "Frequency", unit: "Hz" }, { name: "Gain", unit: "dB" }], words,
    }); // prettier-ignore
    const curves = [
      {
        logged: curve("not whole, 3 rows: a stray message"),
        again: curve("complete: 120 rows"),
        same: false,
      },
    ];
    const version = {
      version: 2,
      at: 1_795_416_791_000_000,
      instrument: "Flow meter",
      csv: "pump_again-2.csv",
      channels,
      curves,
    };
    const answers: Answers = {
      [`/api/runs/${key}/again`]: {
        body: { setups: [{ id: "m", name: "Flow meter", text: "[instrument]" }], versions: [version] },
      },
    };
    serve(answers);
    show(<ReadAgain run={detail()} theme={themes.day} />);
    expect((await screen.findByRole("link", { name: "pump_again-2.csv" })).getAttribute("href")).toBe(
      `/api/runs/${key}/again/2/csv`,
    );
    expect(screen.getByRole("link", { name: /^Winding sweep, .*CSV$/ }).getAttribute("href")).toBe(
      `/api/runs/${key}/again/2/curves/1/csv`,
    );
    await userEvent.click(screen.getByRole("button", { name: "Read it again with a corrected set-up" }));
    await userEvent.type(screen.getByLabelText("Corrected set-up"), "#");
    answers[`/api/runs/${key}/again`] = { status: 400, body: { detail: "query “flow”: pattern 1 …" } };
    await userEvent.click(screen.getByRole("button", { name: "Try it" }));
    expect((await screen.findByRole("alert")).textContent).toContain("pattern 1");
    answers[`/api/runs/${key}/again`] = {
      body: { channels, curves, trends: [], kept: null, from_memory: 1207, setups: [], versions: [version] },
    };
    await userEvent.click(screen.getByRole("button", { name: "Try it" }));
    expect((await screen.findByText("Loop flow, L/min (differs)")).closest("tr")?.textContent).toContain(
      "410",
    );
    expect(screen.getByText(/^1.207 samples came along from memory/).textContent).toContain("neither side");
    const drawn = screen.getByText(/^Winding sweep, /).closest("tr");
    expect(drawn?.textContent).toContain(
      "(differs)Frequency, Gain; not whole, 3 rows: a stray messageFrequency, Gain; complete: 120 rows",
    );
    answers[`/api/runs/${key}/again`] = {
      body: { channels, curves, trends: [], kept: version, setups: [], versions: [version] },
    };
    await userEvent.click(screen.getByRole("button", { name: "Keep it as another version" }));
    await waitFor(() => expect(screen.queryByLabelText("Corrected set-up")).toBeNull());
  });
  it("is not offered while the run goes on", () => {
    serve({});
    show(<ReadAgain run={detail({ ended_at: null })} theme={themes.day} />);
    expect(screen.queryByRole("button")).toBeNull();
  });
});
