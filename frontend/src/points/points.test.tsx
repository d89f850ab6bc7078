import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, render, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import type { ReactElement } from "react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { inForce, serve } from "../fixtures.test-setup";
import { CorrectPointWindow } from "./CorrectPointWindow";
import { curveOf, labelOf, outcome, type Point, ruleOf, seriesOf, valueOf } from "./points";
import { ticks } from "../parts/ticks";
import { PointsCurve } from "./PointsCurve";
import { PointsTable } from "./PointsTable";
import { takingWords } from "./PointTaking";
import { PointWindow } from "./PointWindow";

const nothing = (): void => undefined;

function nth<T>(list: readonly T[], n: number): T {
  const found = list[n];
  if (found === undefined) throw new Error(`there is no number ${n}`);
  return found;
}

const mean = (part: object = {}): NonNullable<Point["means"]>[number] => ({
  id: "flow", name: "Flow", unit: "L/min", decimals: 1, mean: 151.62, sd: 0.541, minimum: 150, maximum: 153, count: 50, missing: 0,
  low: 150, high: 160, verdict: "within", ...part,
}); // prettier-ignore

const point = (number: number, part: Partial<Point> = {}): Point => ({
  number, version: 1, name: `valve ${number}0 %`, by: "M", note: "", at: 1_795_416_800_000_000, since: 1, until: 1_795_416_790_000_000, steady: true, stage: "",
  sets: [{ name: "Valve", unit: "%", value: number * 10 }], typed: [], means: [mean({ mean: 100 + number })], gave_up: "", void: false, verdict: "within", ...part,
}); // prettier-ignore

const given = {
  ...point(2),
  gave_up: "not steady for 10 s: Flow",
  means: [],
  steady: false,
  verdict: "" as const,
};

function open(element: ReactElement): void {
  const client = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  render(<QueryClientProvider client={client}>{element}</QueryClientProvider>);
}

beforeEach(() => localStorage.clear());
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

describe("what points come to", () => {
  it("has a series for each set value, reading and channel, in this order", () => {
    const typed = [{ name: "Gauge glass", unit: "mm", value: 12 }];
    const series = seriesOf([point(1), { ...given, typed }]);
    expect(series.map((one) => one.label)).toEqual(["Valve, %", "Gauge glass, mm", "Flow, L/min"]);
    expect(series.map((one) => one.of(given))).toEqual([20, null, null]);
    expect(valueOf(nth(series, 2), 151.624)).toBe("151.62");
    expect(valueOf(nth(series, 0), -20)).toBe("−20");
    expect(valueOf(nth(series, 2), null)).toBe("–");
    expect(labelOf({ name: "x", unit: "" })).toBe("x");
  });

  it("makes a curve of those that count and have both, in the order of the first", () => {
    const points = [point(3), given, point(1), { ...point(4), void: true }];
    const series = seriesOf(points);
    expect(curveOf(points, nth(series, 0), nth(series, 1)).map((one) => [one.x, one.y])).toEqual([
      [10, 101],
      [30, 103],
    ]);
  });

  it("has round values at its axes", () => {
    expect(ticks(8, 42, 6)).toEqual([10, 20, 30, 40]);
    expect(ticks(-0.13, 0.42, 5)).toEqual([0, 0.2, 0.4]);
    expect(ticks(5, 5, 5)).toEqual([5]);
    expect(ticks(1e-9, 9e-9, 4)).toEqual([2e-9, 4e-9, 6e-9, 8e-9]);
  });

  it("says what a point came to", () => {
    expect(outcome(point(1))).toBe("within");
    expect(outcome(point(1, { verdict: "beyond", steady: false }))).toBe("out of tolerance, not waited for");
    expect(outcome(point(1, { verdict: "" }))).toBe("taken");
    expect(outcome(given)).toBe("given up: not steady for 10 s: Flow");
    expect(outcome(point(1, { void: true }))).toBe("taken out");
  });

  it("says how a point goes", () => {
    const taking = { number: 1, name: "", unsteady: ["Flow", "Head"], begun_at: 0, since: null, until: null, gives_up_at: 95_000_000 }; // prettier-ignore
    expect(takingWords(taking, 5000)).toBe(
      "waits for Flow, Head to be steady. It is given up in 1 min 30 s.",
    );
    expect(takingWords({ ...taking, since: 1, until: 12_000_000 }, 5000)).toBe("is averaged: 7 s to go.");
  });
});

describe("the table of points", () => {
  it("has a line for each, with means and deviations", async () => {
    const corrected = vi.fn();
    open(<PointsTable points={[point(1), given]} onCorrect={corrected} />);
    const rows = screen.getAllByRole("row");
    const [first, second] = [nth(rows, 1), nth(rows, 2)];
    expect(within(first).getByText("101.00")).toBeTruthy();
    expect(within(first).getByText("s 0.54")).toBeTruthy();
    expect(within(second).getByText("given up: not steady for 10 s: Flow")).toBeTruthy();
    expect(within(second).getByText("–")).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "correct point 2" }));
    expect(corrected).toHaveBeenCalledWith(given);
  });

  it("draws what is chosen over what is chosen", async () => {
    open(<PointsCurve points={[point(1), point(2), given]} />);
    expect(screen.getByRole("img", { name: "Flow, L/min over Valve, %" })).toBeTruthy();
    expect(document.querySelectorAll("circle")).toHaveLength(2);
    expect(document.querySelectorAll(".bar")).toHaveLength(0);
  });
  it("has uncertainties where they are stated, and nothing of them where not", () => {
    const certain = point(1, { means: [mean({ mean: 101, expanded: 1.234, type_a: 0.1, type_b: 0.609 })] });
    open(
      <>
        <PointsTable points={[certain, point(2)]} />
        <PointsCurve points={[certain, point(2)]} />
      </>,
    );
    const rows = screen.getAllByRole("row");
    expect(within(nth(rows, 1)).getByText("± 1.2")).toBeTruthy();
    expect(within(nth(rows, 2)).queryByText(/±/)).toBeNull();
    expect(screen.getByTitle(/certificate 0.61, of the scatter 0.10/)).toBeTruthy();
    const bar = document.querySelector(".bar");
    const dot = document.querySelector("circle");
    const up = Number(bar?.getAttribute("y1")) - Number(dot?.getAttribute("cy"));
    expect(up).toBeGreaterThan(5);
    expect(Number(dot?.getAttribute("cy")) - Number(bar?.getAttribute("y2"))).toBeCloseTo(up, 6);
    expect(document.querySelectorAll(".bar")).toHaveLength(1);
  });
});

describe("taking a point", () => {
  it("sends the rule, set values and tolerances, and keeps them for the next", async () => {
    const { sent } = serve({ "POST /api/run/points": { status: 201, body: {} } });
    const take = (
      <PointWindow run={{ points: 0, operator: "M" }} rule={null} channels={[inForce()]} onClose={nothing} />
    );
    open(take);
    const id = inForce().id;
    await userEvent.type(screen.getByLabelText("Name"), "40 %");
    await userEvent.click(screen.getByRole("button", { name: "add a set value" }));
    await userEvent.type(screen.getByLabelText("Set value"), "Valve");
    expect(screen.getByText("Give “Valve” a number, or remove it.")).toBeTruthy();
    expect(screen.getByRole("button", { name: "Take the point" })).toHaveProperty("disabled", true);
    await userEvent.type(screen.getByLabelText("Valve is"), "40");
    await userEvent.type(screen.getByLabelText("Unit"), "%");
    await userEvent.click(screen.getByRole("button", { name: /^Averages/ }));
    await userEvent.type(screen.getByLabelText(/^Band/), "2");
    await userEvent.type(screen.getByLabelText(/^At least/), "100");
    expect(screen.getByRole("button", { name: /^Waits for/ }).textContent).toContain("steady for 10 s");
    await userEvent.click(screen.getByRole("button", { name: "Take the point" }));
    const rule = {
      channels: { [id]: { band: 2, low: 100 } },
      steady_s: 10,
      average_s: 10,
      give_up_s: 300,
    };
    const sets = [{ name: "Valve", unit: "%", value: 40 }];
    expect(sent).toEqual([{ rule, name: "40 %", note: "", stage: "", by: "M", sets, typed: [] }]);
    cleanup();
    open(take);
    expect(screen.getByLabelText("Set value")).toHaveProperty("value", "Valve");
    expect(screen.getByLabelText("Valve is")).toHaveProperty("value", "");
    expect(screen.getByRole("button", { name: /^Waits for/ }).textContent).toContain("steady for 10 s");
  });

  it("takes the plan's rule, without channels that are gone", () => {
    const rule = {
      channels: { gone: {}, [inForce().id]: { band: 3 } },
      steady_s: 4,
      average_s: 5,
      give_up_s: 60,
    };
    open(
      <PointWindow run={{ points: 0, operator: "" }} rule={rule} channels={[inForce()]} onClose={nothing} />,
    );
    expect(screen.getByRole("button", { name: /^Waits for/ }).textContent).toContain("steady for 4 s");
    expect(screen.getByRole("button", { name: /^Averages/ }).textContent).toContain(
      "1 of 1 channels for 5 s",
    );
  });

  it("begins with every channel that has a mean, and waits for those with a band of their own", () => {
    const states = inForce({ id: "s", states: ["a"] });
    const own = inForce({ id: "o", limits: { ...inForce().limits, settled_band: 0.5 } });
    expect(ruleOf([states, own, inForce({ id: "p" })]).channels).toEqual({
      o: { band: 0.5 },
      p: { band: null },
    });
  });

  it("corrects what a person gave, and says what stood there before", async () => {
    const { sent } = serve({ "PATCH /api/run/points": { status: 200, body: {} } });
    const now = point(2, { version: 2, name: "30 %" });
    open(<CorrectPointWindow point={now} earlier={[point(1), point(2)]} onClose={nothing} />);
    expect(screen.getByText(/Before: valve 20 %, Valve, % 20/)).toBeTruthy();
    await userEvent.clear(screen.getByLabelText("Valve is"));
    await userEvent.type(screen.getByLabelText("Valve is"), "31,5");
    await userEvent.click(screen.getByRole("button", { name: "Correct" }));
    expect(sent).toEqual([
      {
        number: 2, version: 2, name: "30 %", note: "", stage: "", by: "", typed: [], void: false,
        sets: [{ name: "Valve", unit: "%", value: 31.5 }],
      },
    ]); // prettier-ignore
  });
});
