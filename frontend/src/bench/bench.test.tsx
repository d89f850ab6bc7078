import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, render, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { ReactElement } from "react";
import { MemoryRouter, useLocation } from "react-router";
import type { Stage, Status } from "../api/client";
import { inForce, instrument, pick, serve, stage, well, allWithin } from "../fixtures.test-setup";
import { connection } from "../live/connection";
import { EndedCard, outcome } from "./EndedCard";
import { InstrumentColumn } from "./InstrumentColumn";
import { endsIn, RunStrip } from "./RunStrip";
import { clock } from "../look/format";
import { setZone } from "../look/zone";
import { BeginWindow } from "./BeginWindow";
import { dayBefore, dayOf, pastMoment } from "./ClockEntry";
import { blank, endWords, fastestRows, noEnds, remember, remembered, rowWords } from "./plan";
import { EndWindow, MarkWindow } from "./RunWindows";

const status = (run: Partial<NonNullable<Status["run"]>> | null): Status => ({
  at: 0, session: "s", pid: 1, instruments: [instrument()], ports: [],
  channels: [inForce()], crossings: [], safe: [],
  reactions: [], procedures: [], curves: [], captures: [], destinations: [], overdue: [], version: "0", zone: "", verdict: allWithin,
  disk: { free_bytes: 1e11, hours_left: 5040 },
  run: run && {
    id: "r", name: "Pump 7 acceptance", item: "P7-0413", operator: "M. Okafor", order: "",
    row_rule: fastestRows, ends: noEnds, ends_at: null, unsettled: [], carry_on: false, begun_by: "", lead_us: 0, points: 0, taking: null, calibrates: null,
    begun_at: (Date.now() - 872_000) * 1000, folder: "/runs/x", csv: "pump-7.csv", rows: 4361,
    saved_at: (Date.now() - 400) * 1000, counts: { sequence: 9, polls: 9000, missed: 0, gave_up: 0, lost: 0 }, troubles: [], repairs: [], marks: [], ...run,
  },
}); // prettier-ignore

const nothing = (): void => undefined;

function strip(of: Status, verdict: Partial<Status["verdict"]> = {}, heard = true): void {
  render(
    <MemoryRouter>
      <RunStrip
        status={{ ...of, verdict: { ...of.verdict, ...verdict } }}
        channels={of.channels.length}
        heard={heard}
        onBegin={nothing}
        onMark={nothing}
        onEnd={nothing}
        onEnds={nothing}
        onBeginNow={nothing}
        onCallOff={nothing}
        begins="with the next reading of Shaft length"
      />
    </MemoryRouter>,
  );
}

beforeEach(() => localStorage.clear());
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

describe("the run strip", () => {
  it("says what an armed run waits for, and that nothing is logged yet", () => {
    const armed = {
      id: "a", name: "Key test", item: "P7-0414", operator: "", begins: { before_s: 0, reading: "x" }, begins_at: null,
      armed_at: 5, troubles: [],
    }; // prettier-ignore
    strip({ ...status(null), armed });
    expect(screen.getByText("Armed, not logging yet")).toBeTruthy();
    expect(screen.getByTestId("begins").textContent).toBe("waits");
    expect(screen.getByText("with the next reading of Shaft length")).toBeTruthy();
    cleanup();
    strip({ ...status(null), armed: { ...armed, begins_at: (connection.now() + 3_723_400) * 1000 } });
    expect(screen.getByTestId("begins").textContent).toBe("in 01:02:03");
    cleanup();
    strip({ ...status(null), armed }, {}, false);
    expect(screen.getByText(/^As of .*: armed, not logging$/)).toBeTruthy();
  });

  it("is pale while idle, and says that nothing is written", () => {
    strip(status(null));
    expect(screen.getByText("Not logging")).toBeTruthy();
    expect(screen.getByText(/nothing is written to a file/)).toBeTruthy();
  });

  it("says since when, what, how much and how safe while logging", () => {
    strip(status({}));
    expect(screen.getByTestId("elapsed").textContent).toBe("00:14:32");
    expect(screen.getByTestId("rows").textContent).toBe("4 361 rows");
    expect(screen.getByText("Saved 0 s ago")).toBeTruthy();
    expect(screen.getByText("all within limits")).toBeTruthy();
    expect(screen.getByText("Disk lasts").nextSibling?.textContent).toBe("210 days");
  });

  it("counts what was lost and names what is outside its limits", () => {
    strip(status({ counts: { sequence: 9, polls: 9000, missed: 2, gave_up: 1, lost: 0 } }), {
      state: "beyond",
      beyond: ["Loop flow"],
    });
    expect(screen.getByTestId("rows").textContent).toContain("3 polls lost");
    expect(screen.getByText("outside limits: Loop flow")).toBeTruthy();
  });

  it("does not call it within limits when one of them is not known, and says which", () => {
    const unknown = [{ id: "v", number: 1, name: "Vibration", words: "bad checksum", since: 1 }];
    strip(status({}), { state: "not all known", limited: 3, unknown });
    expect(screen.getByTestId("verdict").textContent).toBe("not all known: Vibration (bad checksum)");
    cleanup();
    strip(status({}), { state: "beyond", limited: 3, beyond: ["Flow"], unknown });
    expect(screen.getByTestId("verdict").textContent).toBe(
      "outside limits: Flow; not known: Vibration (bad checksum)",
    );
    cleanup();
    strip(status({}), { state: "within", limited: 4, cautions: ["Supply"] });
    expect(screen.getByTestId("verdict").textContent).toBe("all within limits; caution: Supply");
    cleanup();
    strip(status({}), { state: "no limits", limited: 0 });
    expect(screen.getByTestId("verdict").textContent).toBe("no limits set");
  });

  it("stands still when the bench is not heard", () => {
    const at = new Date(2026, 10, 23, 14, 3, 12).getTime();
    vi.spyOn(connection, "heardAt").mockReturnValue(at);
    strip(status({ begun_at: (at - 60_000) * 1000 }), {}, false);
    expect(screen.getByTestId("elapsed").textContent).toBe("00:01:00");
    expect(screen.getByTestId("verdict").textContent).toBe("not known: not heard since 14:03:12");
    expect(screen.getByText(/^As of 14:03:12/)).toBeTruthy();
  });
});

function Where() {
  const { pathname, search } = useLocation();
  return <output data-testid="where">{pathname + search}</output>;
}

describe("instruments", () => {
  const column = (stages: Stage[]): void => {
    render(
      <MemoryRouter>
        <InstrumentColumn instruments={[instrument({ stages })]} />
        <Where />
      </MemoryRouter>,
    );
  };

  it("shows the rate while all is well", () => {
    column(well());
    expect(screen.getByText("5.0/s")).toBeTruthy();
    expect(screen.getAllByRole("button", { name: /: passing$/ })).toHaveLength(5);
  });

  it("names the first stage that has stopped, and opens that stage", async () => {
    const stages = well();
    stages[1] = stage("Bytes", "stopped", "silent", "No bytes for 12 s. The port is open. Check power.");
    column(stages);
    expect(screen.getByText("silent")).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Bytes: stopped, silent" }));
    expect(screen.getByTestId("where").textContent).toBe("/instruments/loop-flow-meter?stage=Bytes");
  });

  it("offers a single reading where nothing is asked on a grid, and says why none comes", async () => {
    serve({
      "POST /api/instruments/loop-flow-meter/read": { status: 409, body: { detail: "It cannot be asked." } },
    });
    render(
      <MemoryRouter>
        <InstrumentColumn instruments={[instrument({ asked_per_s: null })]} />
      </MemoryRouter>,
    );
    await userEvent.click(screen.getByRole("button", { name: "read once" }));
    expect((await screen.findByRole("alert")).textContent).toBe("It cannot be asked.");
  });
});

describe("more than six instruments", () => {
  it("have a line each where they are well; those in trouble stand first, and whole", () => {
    const silent = well();
    silent[1] = stage("Bytes", "stopped", "silent");
    const all = Array.from({ length: 8 }, (_, n) =>
      instrument({ id: `i${n}`, name: `Station ${n}`, stages: n === 5 ? silent : well() }),
    );
    render(
      <MemoryRouter>
        <InstrumentColumn instruments={all} />
      </MemoryRouter>,
    );
    expect(screen.getAllByRole("article")).toHaveLength(1);
    const names = screen.getAllByRole("link").map((link) => link.textContent);
    expect(names[0]).toBe("Station 5");
    expect(names.slice(1, 8)).toEqual([0, 1, 2, 3, 4, 6, 7].map((n) => `Station ${n}`));
    expect(screen.getAllByRole("img", { name: "all five stages passing" })).toHaveLength(7);
  });
});

describe("the end of a run", () => {
  it("says why, what it came to, how complete it is, and what is next", async () => {
    const run = status({ counts: { sequence: 9, polls: 9000, missed: 2, gave_up: 1, lost: 0 } }).run;
    if (!run) throw new Error("no run");
    const crossings = [
      { state: "high", name: "Loop flow" },
      { state: "within", name: "Loop flow" },
    ];
    const { sent } = serve({
      "GET /api/runs/r": { status: 200, body: { reason: "ended by a person", ended_at: run.begun_at + 90e6, crossings, alarms: 1 } },
      "POST /api/ports/release": { status: 204, body: null },
      "GET /api/runs/r/plan": { status: 200, body: blank },
    }); // prettier-ignore
    const closed = vi.fn();
    render(
      <QueryClientProvider client={new QueryClient()}>
        <MemoryRouter>
          <EndedCard ended={{ run, at: 0 }} links={["port 3"]} onClose={closed} />
          <Where />
        </MemoryRouter>
      </QueryClientProvider>,
    );
    expect(await screen.findByText("ended by a person")).toBeTruthy();
    expect(screen.getByText("1 alarm: Loop flow")).toBeTruthy();
    expect(screen.getByText("9 000 polls, 3 without reply or missed")).toBeTruthy();
    expect(screen.getByText("1 min 30 s")).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Release the ports" }));
    expect(await screen.findByText("The ports are free")).toBeTruthy();
    expect(sent).toEqual([{ link: "port 3" }]);
    await userEvent.click(screen.getByRole("button", { name: "Repeat with a new test item" }));
    await waitFor(() => expect(screen.getByTestId("where").textContent).toBe("/?begin"));
    expect(closed).toHaveBeenCalled();
    expect(outcome({ alarms: 0, crossings: [] })).toBe("no alarm");
  });
});

describe("beginning and ending", () => {
  const open = (window: ReactElement): void => {
    render(<QueryClientProvider client={new QueryClient()}>{window}</QueryClientProvider>);
  };

  it("takes a kept plan, keeps one under a name, and keeps this run's test item", async () => {
    localStorage.clear();
    const acceptance = {
      ...blank,
      name: "Acceptance run",
      order: "A-17",
      ends: { when: [], rows: 9 },
      plan: "Acceptance",
      format: 1,
    };
    const { sent } = serve({
      "GET /api/plans": { status: 200, body: [acceptance] },
      "PUT /api/plans/Mine": { status: 200, body: {} },
    });
    open(<BeginWindow channels={[inForce()]} onClose={nothing} onBegun={nothing} />);
    await userEvent.type(screen.getByLabelText("Test item"), "P7-0414");
    await userEvent.click(screen.getByRole("button", { name: /^Plan/ }));
    await pick("Take a plan", "Acceptance");
    expect(screen.getByRole("button", { name: /^Ends/ }).textContent).toContain("after 9 rows");
    const name = screen.getByLabelText("Keep this plan as");
    await userEvent.clear(name);
    await userEvent.type(name, "Mine");
    await userEvent.click(screen.getByRole("button", { name: "Keep" }));
    expect(sent.at(-1)).toEqual({
      ...blank, name: "Acceptance run", order: "A-17", ends: { when: [], rows: 9 },
    }); // prettier-ignore
    expect(screen.getByLabelText("Test item")).toHaveProperty("value", "P7-0414");
    await waitFor(() => expect(screen.getByRole("button", { name: /^Plan/ }).textContent).toContain("Mine"));
  });

  it("begins with what the last run was called, and sends what was typed", async () => {
    remember({
      ...blank,
      name: "Pump 7",
      operator: "M. Okafor",
      row_rule: { ...fastestRows, kind: "each reading" },
    });
    const { sent } = serve({ "POST /api/run": { status: 201, body: {} } });
    const closed = vi.fn();
    open(<BeginWindow onClose={closed} onBegun={nothing} />);
    await userEvent.type(screen.getByLabelText("Test item"), "P7-0414");
    await userEvent.click(screen.getByRole("button", { name: "Begin logging" }));
    expect(sent).toEqual([
      {
        ...blank,
        name: "Pump 7",
        item: "P7-0414",
        operator: "M. Okafor",
        row_rule: { ...fastestRows, kind: "each reading" },
      },
    ]);
    expect(closed).toHaveBeenCalled();
  });

  it("takes up what a browser remembered before there were plans", () => {
    localStorage.setItem("tidybench-last-run", JSON.stringify({ name: "Old", row_rule: "each reading" }));
    expect(remembered()).toEqual({
      ...blank,
      name: "Old",
      row_rule: { ...fastestRows, kind: "each reading" },
    });
    localStorage.setItem("tidybench-last-run", "{nonsense");
    expect(remembered()).toEqual(blank);
  });

  it("says rows and ends in a line", () => {
    expect(rowWords(fastestRows)).toBe("at the fastest interval");
    expect(rowWords({ ...fastestRows, every_s: 600, values: ["mean", "maximum"] })).toBe(
      "every 10 min: mean, maximum",
    );
    expect(rowWords({ ...fastestRows, kind: "each reading", daily: true, file_mb: 50 })).toBe(
      "one for each reading; a file for each day; files of at most 50 MB",
    );
    const ends = {
      after_s: 5400,
      rows: 20,
      when: [
        { channel: "flow", side: "above" as const, value: 3, for_s: 5 },
        { channel: "flow", side: "beyond its limits" as const, for_s: 0 },
      ],
      settled: { bands: { flow: 1 }, for_s: 20 },
    };
    expect(endWords(ends, (id) => id.toUpperCase())).toBe(
      "after 90 min, or after 20 rows, or when FLOW is above 3 for 5 s, or when FLOW is beyond its limits, or when settled for 20 s (FLOW)",
    );
    expect(endWords(noEnds, String)).toBe("when a person ends it");
  });

  it("plans rows of means every ten seconds, and an end after rows", async () => {
    localStorage.clear();
    const { sent } = serve({ "POST /api/run": { status: 201, body: {} } });
    open(<BeginWindow channels={[inForce()]} onClose={nothing} onBegun={nothing} />);
    await userEvent.type(screen.getByLabelText("Name"), "x");
    await userEvent.click(screen.getByRole("button", { name: /Rows of the CSV/ }));
    await userEvent.type(screen.getByLabelText("Every"), "10");
    await userEvent.click(screen.getByRole("checkbox", { name: "mean" }));
    await userEvent.click(screen.getByRole("checkbox", { name: "latest" }));
    await userEvent.click(screen.getByRole("checkbox", { name: "a file for each day" }));
    await userEvent.type(screen.getByLabelText("Largest file, MB"), "50");
    await userEvent.click(screen.getByRole("button", { name: /^Ends/ }));
    await userEvent.click(screen.getByRole("checkbox", { name: "After rows" }));
    const rows = screen.getByLabelText("Rows");
    await userEvent.clear(rows);
    await userEvent.type(rows, "0");
    expect(screen.getByRole("button", { name: "Begin logging" })).toHaveProperty("disabled", true);
    await userEvent.clear(rows);
    await userEvent.type(rows, "12");
    await userEvent.click(screen.getByRole("button", { name: "Begin logging" }));
    expect(sent).toEqual([
      {
        ...blank,
        name: "x",
        row_rule: { ...fastestRows, every_s: 10, values: ["mean"], daily: true, file_mb: 50 },
        ends: { when: [], rows: 12 },
      },
    ]);
  });

  it("arms a run that begins by itself, and the next one begins when a person says so", async () => {
    localStorage.clear();
    const { sent, calls } = serve({ "POST /api/armed": { status: 201, body: {} } });
    open(<BeginWindow channels={[inForce()]} onClose={nothing} onBegun={nothing} />);
    await userEvent.type(screen.getByLabelText("Name"), "x");
    await userEvent.click(screen.getByRole("button", { name: /^Begins/ }));
    await pick("The run begins", "on a level or limit");
    expect(screen.getByText(/the level at which the run is to begin/)).toBeTruthy();
    expect(screen.getByRole("button", { name: "Arm the run" })).toHaveProperty("disabled", true);
    await userEvent.type(screen.getByLabelText(/^Level/), "5");
    await pick("The run begins", "with the next reading of a channel");
    const before = screen.getByLabelText(/^With what was measured before/);
    await userEvent.clear(before);
    await userEvent.type(before, "90");
    expect(screen.getByRole("button", { name: /^Begins/ }).textContent).toContain(
      `with the next reading of ${inForce().name}, with the 90 s before`,
    );
    await userEvent.click(screen.getByRole("button", { name: "Arm the run" }));
    expect(calls).toContain("POST /api/armed");
    expect(sent.at(-1)).toEqual({ ...blank, name: "x", begins: { reading: inForce().id, before_s: 90 } });
    expect(remembered().begins).toEqual({ before_s: 90 });
  });

  it("plans how the run's test points are taken", async () => {
    const { sent } = serve({ "POST /api/run": { status: 201, body: {} } });
    open(<BeginWindow channels={[inForce()]} onClose={nothing} onBegun={nothing} />);
    await userEvent.type(screen.getByLabelText("Name"), "x");
    await userEvent.click(screen.getByRole("button", { name: /^Test points/ }));
    await userEvent.click(screen.getByRole("switch", { name: /in its own way/ }));
    await userEvent.clear(screen.getByLabelText(/^Band/));
    await userEvent.type(screen.getByLabelText(/^Band/), "3");
    expect(screen.getByRole("button", { name: /^Test points/ }).textContent).toContain("steady for 10 s");
    await userEvent.click(screen.getByRole("button", { name: "Begin logging" }));
    const points = { channels: { [inForce().id]: { band: 3 } }, steady_s: 10, average_s: 10, give_up_s: 300 };
    expect(sent).toEqual([{ ...blank, name: "x", points }]);
  });

  it("looks round first: what is not well, with what to do, and the rest in one line", async () => {
    const { sent } = serve({
      "POST /api/run/glance": {
        status: 200,
        body: [
          { matter: "paths", well: true, words: "Readings come from Flow.", todo: "" },
          {
            matter: "disk",
            well: false,
            words: "The run needs about 3 TB; 1 GB are free.",
            todo: "Make room.",
          },
          { matter: "clock", well: true, words: "It is synchronised.", todo: "" },
        ],
      },
    });
    open(<BeginWindow channels={[inForce()]} onClose={nothing} onBegun={nothing} />);
    expect(await screen.findByText("The run needs about 3 TB; 1 GB are free.")).toBeTruthy();
    expect(screen.getByText("Make room.")).toBeTruthy();
    expect(screen.getByText("Readings come from Flow. It is synchronised.")).toBeTruthy();
    expect(sent[0]).toMatchObject({ ends: noEnds, row_rule: fastestRows, channels: [] });
    // Nothing of it forbids.
    expect(screen.getByRole("button", { name: "Begin logging" })).toHaveProperty("disabled", false);
  });

  it("asks for a name at the field, and begins nothing without one", async () => {
    localStorage.clear();
    const { sent } = serve({ "POST /api/run": { status: 201, body: {} } });
    open(<BeginWindow channels={[inForce()]} onClose={nothing} onBegun={nothing} />);
    expect(screen.queryByText("Give the run a name.")).toBeNull();
    await userEvent.click(screen.getByRole("button", { name: "Begin logging" }));
    expect(screen.getByText("Give the run a name.")).toBeTruthy();
    expect(sent).toEqual([]);
    await userEvent.type(screen.getByLabelText("Name"), "x");
    expect(screen.queryByText("Give the run a name.")).toBeNull();
    await userEvent.click(screen.getByRole("button", { name: "Begin logging" }));
    expect(sent.length).toBe(1);
  });

  it("does not begin when a barcode scanner ends a test item with Enter, nor without a level", async () => {
    localStorage.clear();
    const { sent } = serve({
      "POST /api/run": { status: 201, body: {} },
      "GET /api/plans": { status: 200, body: [] },
    });
    open(<BeginWindow channels={[inForce()]} onClose={nothing} onBegun={nothing} />);
    await userEvent.type(screen.getByLabelText("Name"), "x");
    await userEvent.type(screen.getByLabelText("Test item"), "P7-0414{Enter}");
    expect(sent).toEqual([]);
    await userEvent.click(screen.getByRole("button", { name: /^Ends/ }));
    await userEvent.click(screen.getByRole("checkbox", { name: "On a level or limit" }));
    expect(screen.getByText(/give the level at which/)).toBeTruthy();
    expect(screen.getByRole("button", { name: "Begin logging" })).toHaveProperty("disabled", true);
    await userEvent.type(screen.getByLabelText(/^Level/), "5");
    await userEvent.click(screen.getByRole("button", { name: "Begin logging" }));
    expect(sent.length).toBe(1);
  });

  it("means the newest moment of a time of day that has gone by", () => {
    const noon = new Date(2026, 10, 25, 12).getTime();
    expect(pastMoment(clock(noon - 60_000), noon)).toBe(noon - 60_000);
    expect(pastMoment(clock(noon), noon)).toBe(noon);
    expect(pastMoment(clock(noon + 60_000), noon)).toBe(noon + 60_000 - 86_400_000);
    expect(dayBefore(clock(noon - 60_000), noon)).toBe("today");
    expect(dayBefore(clock(noon + 60_000), noon)).toBe("yesterday");
    expect(pastMoment("2026-11-25T06:00Z", Date.parse("2026-11-25T07:00Z"))).toBe(
      Date.parse("2026-11-25T06:00Z"),
    );
    expect(pastMoment("2026-11-25T08:00Z", Date.parse("2026-11-25T07:00Z"))).toBeNull();
    expect(pastMoment("25:00", noon)).toBeNull();
  });

  it("knows the hour of summer time that a time of day stood in", () => {
    setZone("Europe/Berlin");
    try {
      const noon = Date.parse("2026-10-25T11:00Z"); // an hour was repeated in the night
      expect(pastMoment("01:30", noon)).toBe(Date.parse("2026-10-24T23:30Z"));
      expect(pastMoment("04:00", noon)).toBe(Date.parse("2026-10-25T03:00Z"));
      expect(pastMoment("13:00", noon)).toBe(Date.parse("2026-10-24T11:00Z"));
    } finally {
      setZone("");
    }
  });

  it("marks another time than that of the press", async () => {
    const { sent } = serve({ "POST /api/run/marks": { status: 201, body: {} } });
    open(<MarkWindow run={{ marks: [], operator: "M" }} onClose={nothing} />);
    await userEvent.type(screen.getByLabelText("What happened"), "valve");
    await userEvent.click(screen.getByRole("button", { name: "another time" }));
    const at = screen.getByLabelText("Time of day, of the bench");
    const wanted = connection.now() - 90_000;
    await userEvent.clear(at);
    await userEvent.type(at, clock(wanted));
    await userEvent.click(screen.getByRole("button", { name: "Mark" }));
    const { ago_ms } = sent[0] as { ago_ms: number };
    expect(Math.abs(ago_ms - 90_000)).toBeLessThan(5000);
  });

  it("keeps a clock time that is none from being sent", async () => {
    localStorage.clear();
    open(<BeginWindow channels={[inForce()]} onClose={nothing} onBegun={nothing} />);
    await userEvent.type(screen.getByLabelText("Name"), "x");
    await userEvent.click(screen.getByRole("button", { name: /^Ends/ }));
    await userEvent.click(screen.getByRole("checkbox", { name: "At a clock time" }));
    const at = screen.getByLabelText("Time of day, of the bench");
    await userEvent.clear(at);
    await userEvent.type(at, "25:00");
    expect(screen.getByText("Write it as 17:30.")).toBeTruthy();
    expect(screen.getByRole("button", { name: "Begin logging" })).toHaveProperty("disabled", true);
    await userEvent.clear(at);
    await userEvent.type(at, "7:05");
    expect(screen.getByRole("button", { name: /^Ends/ }).textContent).toContain("at 07:05");
    expect(screen.getByRole("button", { name: "Begin logging" })).toHaveProperty("disabled", false);
  });

  it("says which day a time of day means", () => {
    const noon = Date.parse(`2026-11-26T12:00:00Z`);
    expect(dayOf(clock(noon + 60_000).slice(0, 5), noon)).toBe("today");
    expect(dayOf(clock(noon).slice(0, 5), noon)).toBe("tomorrow");
    expect(dayOf("2026-11-27T06:00+01:00", noon)).toBe("");
    expect(dayOf("25:00", noon)).toBe("");
  });

  it("says on the strip what ends the run, and when", () => {
    const now = Date.now();
    const run = { ends: { when: [], after_s: 900 }, ends_at: (now + 125_500) * 1000, rows: 5, unsettled: [] };
    expect(endsIn(run, now)).toBe("in 00:02:05");
    const settled = { bands: { flow: 1 }, for_s: 20 };
    const both = { ends: { when: [], rows: 9, settled }, ends_at: null, rows: 5, unsettled: ["Flow"] };
    expect(endsIn(both, now)).toBe("in 4 rows or settled (not yet Flow)");
    strip(status({ ...run }));
    expect(screen.getByTestId("ends").textContent).toMatch(/^in 00:02:0/);
  });

  it("stays open and says why a run cannot begin", async () => {
    serve({ "POST /api/run": { status: 507, body: { detail: "Only 12 MB are free." } } });
    const closed = vi.fn();
    open(<BeginWindow onClose={closed} onBegun={nothing} />);
    await userEvent.type(screen.getByLabelText("Name"), "x");
    await userEvent.click(screen.getByRole("button", { name: "Begin logging" }));
    expect((await screen.findByRole("alert")).textContent).toBe("Only 12 MB are free.");
    expect(closed).not.toHaveBeenCalled();
  });

  it("says so in words when the server does not answer at all", async () => {
    vi.stubGlobal("fetch", () => Promise.reject(new TypeError("Failed to fetch")));
    open(<BeginWindow onClose={nothing} onBegun={nothing} />);
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
