import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { act, cleanup, fireEvent, render, screen, within as inside } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { type ReactElement, useRef } from "react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { serve } from "../fixtures.test-setup";
import { themes } from "../look/theme";
import { Routed } from "../routed.test-setup";
import { connection } from "../live/connection";
import { BigReadouts } from "./BigReadouts";
import { Cursor } from "./cursor";
import { CursorLayer } from "./CursorLayer";
import { LaneMenu } from "./LaneMenu";
import { arranged, type Layout, PLAIN, settled } from "./layout";
import { LayoutWindow } from "./LayoutWindow";
import { LimitRail } from "./LimitRail";
import { movedLimit } from "./limits";
import type { Bare, LaneChannel } from "./lanes";
import { MarkWindow } from "./RunWindows";
import { NumbersPanel, share } from "./NumbersPanel";
import { ScaleEnds } from "./ScaleEnds";

beforeEach(() => localStorage.clear());
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
  vi.useRealTimers();
});

const bare = (id: string, unit: string, number: number): Bare => ({
  number, id, name: `Channel ${id}`, unit, decimals: 1, interval_s: 1, low: 2, high: 8,
}); // prettier-ignore
const channels = [bare("a", "bar", 1), bare("b", "kW", 2), bare("c", "bar", 3)];
const lanes = arranged(channels, PLAIN);
const [first] = lanes as [(typeof lanes)[number]];
const layout = settled(channels, PLAIN);

const shown = (element: ReactElement): void => {
  render(<QueryClientProvider client={new QueryClient()}>{element}</QueryClientProvider>);
};

describe("a lane's menu", () => {
  const choose = async (what: string): Promise<Layout> => {
    const onLayout = vi.fn();
    render(<LaneMenu lane={first} place={0} layout={layout} onLayout={onLayout} />);
    await userEvent.click(screen.getByRole("button", { name: /Lane 1, bar/ }));
    await userEvent.click(await screen.findByRole("menuitem", { name: what }));
    return onLayout.mock.lastCall?.[0] as Layout;
  };
  it("splits a lane", async () => {
    expect((await choose("Split into lanes")).lanes.map((lane) => lane.channels)).toEqual([
      ["a"],
      ["c"],
      ["b"],
    ]);
  });
  it("hides one channel of it", async () => {
    expect((await choose("Hide Channel c")).hidden).toEqual(["c"]);
  });
  it("turns its scale logarithmic", async () => {
    expect((await choose("Logarithmic scale")).lanes[0]).toMatchObject({ log: true, scale: null });
  });
  it("puts a channel into one more lane", async () => {
    expect((await choose("Also show Channel a in a new lane")).lanes.at(-1)?.channels).toEqual(["a"]);
  });
  it("sets both ends of its scale, where the lane is too low to press them", async () => {
    const onLayout = vi.fn();
    render(<LaneMenu lane={first} place={0} layout={layout} onLayout={onLayout} />);
    await userEvent.click(screen.getByRole("button", { name: /Lane 1, bar/ }));
    await userEvent.click(await screen.findByRole("menuitem", { name: "Set the scale …" }));
    await userEvent.type(await screen.findByLabelText("From"), "4");
    const apply = screen.getByRole("button", { name: "Apply" });
    expect(apply).toHaveProperty("disabled", true);
    await userEvent.type(screen.getByLabelText("To"), "2");
    expect(screen.getByText("The lower end must be below the upper one.")).toBeTruthy();
    await userEvent.type(screen.getByLabelText("To"), "0,5");
    await userEvent.click(apply);
    expect((onLayout.mock.lastCall?.[0] as Layout).lanes[0]?.scale).toEqual([4, 20.5]);
  });
  it("moves it down", async () => {
    expect((await choose("Move down")).lanes[0]?.channels).toEqual(["b"]);
  });
});

describe("the ends of a scale", () => {
  const type = async (end: RegExp, text: string): Promise<unknown> => {
    const onScale = vi.fn();
    render(<ScaleEnds lane={first} scale={[0, 10]} onScale={onScale} />);
    await userEvent.click(screen.getByRole("button", { name: end }));
    const box = screen.getByRole("textbox");
    await userEvent.clear(box);
    if (text) await userEvent.type(box, text);
    await userEvent.keyboard("{Enter}");
    return onScale.mock.calls[0]?.[0];
  };
  it("are typed, with a decimal comma too", async () => {
    expect(await type(/^upper end/, "12,5")).toEqual([0, 12.5]);
  });
  it("are automatic again when emptied", async () => {
    expect(await type(/^lower end/, "")).toBeNull();
  });
  it("do not take a lower end above the upper one, nor words", async () => {
    expect(await type(/^lower end/, "11")).toBeUndefined();
    cleanup();
    expect(await type(/^upper end/, "much")).toBeUndefined();
  });
  it("say that they are fixed", () => {
    render(<ScaleEnds lane={{ ...first, scale: [0, 10] }} scale={[0, 10]} onScale={vi.fn()} />);
    expect(screen.getByRole("button", { name: "upper end of the scale of bar: 10, fixed" })).toBeTruthy();
  });
});

function Rail({
  movable,
  onLimit,
}: {
  movable: boolean;
  onLimit: (c: LaneChannel, w: string, v: number) => void;
}) {
  const pointers = useRef(new Map<number, SVGPathElement>());
  return (
    <LimitRail
      lane={first} theme={themes.day} scale={[0, 10]} height={110} pointers={pointers} movable={movable} onLimit={onLimit}
    />
  ); // prettier-ignore
}

describe("the limit rail", () => {
  it("has every channel of the lane, and limits that are off its scale at its edge", () => {
    const pointers = { current: new Map<number, SVGPathElement>() };
    const many = [1, 2, 3, 4].map((number) => ({
      ...(first.channels[0] as LaneChannel), number, id: `c${number}`, name: `C ${number}`, high: 40 + number,
    })); // prettier-ignore
    const { container } = render(
      <LimitRail lane={{ ...first, channels: many }} theme={themes.day} scale={[0, 10]} height={110} pointers={pointers} />,
    ); // prettier-ignore
    expect([...pointers.current.keys()]).toEqual([1, 2, 3, 4]);
    const titles = [...container.querySelectorAll("title")].map((one) => one.textContent);
    expect(titles).toContain("Upper limit of C 4: 44.0, above the scale");
    const edges = [...container.querySelectorAll("path")].map((one) => one.getAttribute("d") ?? "");
    expect(edges.filter((d) => d.includes("l4 -5l4 5z"))).toHaveLength(4);
  });
  it("is locked against slips", () => {
    render(<Rail movable={false} onLimit={vi.fn()} />);
    expect(screen.queryAllByRole("slider")).toEqual([]);
  });
  it("is moved with the keyboard, in small and in large steps", () => {
    const onLimit = vi.fn();
    render(<Rail movable onLimit={onLimit} />);
    const high = screen.getByRole("slider", { name: "Upper limit of Channel a" });
    expect(high.getAttribute("aria-valuetext")).toBe("8.0 bar");
    fireEvent.keyDown(high, { key: "ArrowDown" });
    expect(onLimit.mock.lastCall?.slice(1)).toEqual(["high", 7.9]);
    fireEvent.keyDown(high, { key: "ArrowUp", shiftKey: true });
    expect(onLimit.mock.lastCall?.slice(1)).toEqual(["high", 9]);
    fireEvent.keyDown(high, { key: "x" });
    expect(onLimit).toHaveBeenCalledTimes(2);
  });
  it("is dragged on the lane's own scale", () => {
    const onLimit = vi.fn();
    render(<Rail movable onLimit={onLimit} />);
    const low = screen.getByRole("slider", { name: "Lower limit of Channel a" });
    low.setPointerCapture = vi.fn();
    fireEvent.pointerDown(low, { pointerId: 1 });
    fireEvent.pointerMove(low, { pointerId: 1, clientY: 55 });
    expect(screen.getByText("5.0")).toBeTruthy(); // what it would be
    fireEvent.pointerUp(low, { pointerId: 1 });
    expect(onLimit.mock.lastCall?.slice(1)).toEqual(["low", 5]);
  });
});

describe("the cursor over the lanes", () => {
  const axis = { start: 1.7e12, end: 1.7e12 + 100_000 };
  it("is moved, pinned and taken away with the keyboard", () => {
    const cursor = new Cursor();
    render(<CursorLayer cursor={cursor} view={() => axis} drawn={() => axis} />);
    const layer = screen.getByRole("slider", { name: "Cursor over all lanes" });
    expect(layer.getAttribute("aria-valuetext")).toBe("at the pen's end");
    fireEvent.keyDown(layer, { key: "ArrowLeft" });
    expect(cursor.at).toBe(axis.end - 1000);
    fireEvent.keyDown(layer, { key: "ArrowLeft", shiftKey: true });
    expect(cursor.at).toBe(axis.end - 11_000);
    fireEvent.keyDown(layer, { key: "Enter" });
    fireEvent.keyDown(layer, { key: "ArrowRight" });
    expect([cursor.from, cursor.at]).toEqual([axis.end - 11_000, axis.end - 10_000]);
    expect(layer.getAttribute("aria-valuetext")).toMatch(/^2023-11-14 \d\d:\d\d:\d\d\.\d{3}, 1 s$/);
    fireEvent.keyDown(layer, { key: "Escape" });
    expect([cursor.from, cursor.at]).toEqual([null, null]);
  });
  it("zooms by keyboard, and says what is measured where it stands", () => {
    const onZoom = vi.fn();
    const cursor = new Cursor();
    const said = (at: number): string => `Loop flow ${(at - axis.start) / 1000} L/min`;
    render(<CursorLayer cursor={cursor} view={() => axis} drawn={() => axis} onZoom={onZoom} said={said} />);
    const layer = screen.getByRole("slider", { name: "Cursor over all lanes" });
    act(() => cursor.move(axis.start + 40_000));
    fireEvent.keyDown(layer, { key: "+" });
    expect(onZoom).toHaveBeenLastCalledWith({ start: axis.start + 15_000, end: axis.start + 65_000 });
    fireEvent.keyDown(layer, { key: "-" });
    expect(onZoom).toHaveBeenLastCalledWith({ start: axis.start - 60_000, end: axis.start + 140_000 });
    expect(layer.getAttribute("aria-valuetext")).toMatch(/, Loop flow 40 L\/min$/);
    fireEvent.keyDown(layer, { key: "Enter" });
    fireEvent.keyDown(layer, { key: "ArrowRight" });
    fireEvent.keyDown(layer, { key: "z" });
    expect(onZoom).toHaveBeenLastCalledWith({ start: axis.start + 40_000, end: axis.start + 41_000 });
    expect(cursor.at).toBeNull();
  });
  it("zooms by dragging, and only by dragging far enough", () => {
    const onZoom = vi.fn();
    const cursor = new Cursor();
    const { rerender } = render(
      <CursorLayer cursor={cursor} view={() => axis} drawn={() => axis} onZoom={onZoom} />,
    );
    const layer = screen.getByTestId("cursor");
    layer.setPointerCapture = vi.fn();
    layer.getBoundingClientRect = () => ({ left: 0, width: 1000 }) as DOMRect;
    Object.defineProperty(layer, "clientWidth", { value: 1000 });
    const drag = (from: number, to: number): void => {
      fireEvent.pointerDown(layer, { button: 0, pointerId: 1, clientX: from });
      fireEvent.pointerMove(layer, { pointerId: 1, clientX: to });
      fireEvent.pointerUp(layer, { pointerId: 1, clientX: to });
    };
    drag(600, 200);
    expect(onZoom).toHaveBeenCalledWith({ start: axis.start + 20_000, end: axis.start + 60_000 });
    // The curves move on while a stretch is chosen: it is the one that was pressed, not where it was.
    const later = { start: axis.start + 30_000, end: axis.end + 30_000 };
    fireEvent.pointerDown(layer, { button: 0, pointerId: 1, clientX: 600 });
    rerender(<CursorLayer cursor={cursor} view={() => later} drawn={() => later} onZoom={onZoom} />);
    fireEvent.pointerUp(layer, { pointerId: 1, clientX: 200 });
    expect(onZoom).toHaveBeenLastCalledWith({ start: axis.start + 50_000, end: axis.start + 60_000 });
    onZoom.mockClear();
    rerender(<CursorLayer cursor={cursor} view={() => axis} drawn={() => axis} onZoom={onZoom} />);
    drag(500, 503);
    expect(onZoom).not.toHaveBeenCalled();
    expect(cursor.at).toBe(axis.start + 50_300); // a press pins it
  });
});

describe("statistics", () => {
  it("are the server's, of what is shown or of what lies between the cursors, and say what they cover", async () => {
    const figures = { samples: 5, measured: 4, minimum: 1, maximum: 5, mean: 3, sd: 1.58114, slope_per_h: 3600, first: 0, last: 4e6, qualities: {}, states: {} }; // prettier-ignore
    const asked: string[] = [];
    vi.stubGlobal("fetch", (request: Request) => {
      const query = new URL(request.url).searchParams;
      const [start, end] = [Number(query.get("start")), Number(query.get("end"))];
      asked.push(`${start} ${end}`);
      const mean = start === 1_000_000 ? 2.5 : 3;
      const body = {
        start,
        end,
        channels: [{ id: "a", number: 1, statistics: { ...figures, mean } }],
        why: "",
      };
      return Promise.resolve(Response.json(body));
    });
    const cursor = new Cursor();
    const view = (): { start: number; end: number } => ({ start: 0, end: 5000 });
    shown(<NumbersPanel channels={first.channels} live={false} view={view} cursor={cursor} height={200} />);
    const row = (): string[] =>
      inside(screen.getByRole("row", { name: /Channel a/ }))
        .getAllByRole("cell")
        .map((cell) => cell.textContent ?? "");
    await vi.waitFor(() =>
      expect(row()).toEqual(["3.00", "1.0", "5.0", "1.581", "3600.00", "5", "80.0 %", "4 s"]),
    );
    expect(screen.getByText(/of what is shown/)).toBeTruthy();
    // A channel the server knows nothing of has no number.
    expect(screen.getByRole("row", { name: /Channel c/ }).textContent).toContain("–––––––");
    act(() => cursor.press(1000));
    act(() => cursor.press(3000));
    await vi.waitFor(() => expect(row()[0]).toBe("2.50"));
    expect(screen.getByText(/between the cursors/)).toBeTruthy();
    expect(asked).toEqual(["0 5000000", "1000000 3000000"]);
    expect([share(1), share(0.9999), share(0.5)]).toEqual(["100 %", "99.9 %", "50.0 %"]);
  });
});

describe("statistics of a stretch that ends now", () => {
  it("are asked for once more: what was measured a moment ago may still be on its way", async () => {
    vi.useFakeTimers();
    let asked = 0;
    vi.stubGlobal("fetch", () => {
      asked++;
      return Promise.resolve(Response.json({ start: 0, end: 1, channels: [], why: "" }));
    });
    const end = connection.now();
    const view = (): { start: number; end: number } => ({ start: end - 5000, end });
    shown(<NumbersPanel channels={[]} live={false} view={view} cursor={new Cursor()} height={200} />);
    await vi.advanceTimersByTimeAsync(2500);
    expect(asked).toBe(1);
    await vi.advanceTimersByTimeAsync(20_000);
    expect(asked).toBe(2);
    vi.useRealTimers();
  });
});

describe("big readouts", () => {
  it("say what is outside its limits, and what is missing", () => {
    const now = connection.now();
    connection.samples.of(1).push(now - 10, 9.25, 0);
    connection.samples.of(3).push(now - 10, NaN, 8);
    render(<BigReadouts channels={first.channels} theme={themes.day} stale={false} onBack={vi.fn()} />);
    const high = screen.getByTestId("big-Channel a");
    expect(high.textContent).toContain("9.3");
    expect(high.textContent).toContain("above 8");
    expect(high.dataset["out"]).toBe("true");
    expect(screen.getByTestId("big-Channel c").textContent).toContain("link lost");
  });
});

describe("the layout's window", () => {
  it("saves, takes over and takes away layouts, and shows what is hidden", async () => {
    const other: Layout = { lanes: [], hidden: ["a"], own_time: [] };
    const { sent } = serve({
      "GET /api/layouts": { status: 200, body: [{ name: "pumps", data: other }] },
      "PUT /api/layouts/mine": { status: 204, body: null },
      "PUT /api/layouts/pumps": { status: 204, body: null },
      "DELETE /api/layouts/pumps": { status: 204, body: null },
    });
    const onLayout = vi.fn();
    shown(
      <Routed>
        <LayoutWindow
          layout={{ ...layout, hidden: ["b"] }} channels={channels} onLayout={onLayout} onReset={vi.fn()} onClose={vi.fn()}
        />
      </Routed>,
    ); // prettier-ignore
    await userEvent.click(await screen.findByRole("button", { name: "use" }));
    expect(onLayout).toHaveBeenLastCalledWith(other);
    await userEvent.click(screen.getByRole("button", { name: "show Channel b" }));
    expect((onLayout.mock.lastCall?.[0] as Layout).hidden).toEqual([]);
    expect(screen.getByRole("link", { name: "link" }).getAttribute("href")).toBe("/?layout=pumps");
    await userEvent.type(screen.getByLabelText("Save this one as"), "mine");
    await userEvent.click(screen.getByRole("button", { name: "Save" }));
    expect(await screen.findByText(/Everyone at this bench/)).toBeTruthy();
    expect(sent).toContainEqual({ ...layout, hidden: ["b"] });
    // It is gone for everyone: it can be had back.
    await userEvent.click(screen.getByRole("button", { name: "Remove pumps" }));
    expect(await screen.findByText(/“pumps” was removed for everyone/)).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Undo" }));
    await vi.waitFor(() => expect(sent).toContainEqual(other));
    await vi.waitFor(() => expect(screen.queryByRole("button", { name: "Undo" })).toBeNull());
  });
  it("says what a limit was before it was moved", () => {
    const flow = { name: "Loop flow", low: null, high: 200, decimals: 1 };
    expect(movedLimit(flow, "high", 180).words).toBe("Upper limit of Loop flow: 200.0 to 180.0");
    expect(movedLimit(flow, "low", -5).words).toBe("Lower limit of Loop flow: −5.0");
  });
});

describe("marks", () => {
  it("are corrected, known by their time", async () => {
    const { sent } = serve({ "PATCH /api/run/marks": { status: 200, body: {} } });
    const onClose = vi.fn();
    const run = { operator: "M. Okafor", marks: [{ at: 5_000_000, text: "valve to 6 %", by: "" }] };
    render(<MarkWindow run={run} onClose={onClose} />);
    await userEvent.click(screen.getByRole("button", { name: "correct valve to 6 %" }));
    expect(screen.getByRole("heading", { name: "Correct a mark" })).toBeTruthy();
    await userEvent.type(screen.getByLabelText("What happened"), "!");
    await userEvent.click(screen.getByRole("button", { name: "Correct" }));
    await vi.waitFor(() => expect(onClose).toHaveBeenCalled());
    expect(sent).toEqual([{ at: 5_000_000, text: "valve to 6 %!" }]);
  });
  it("have the time of the press, and the run's operator unless another is named", async () => {
    const { sent } = serve({ "POST /api/run/marks": { status: 201, body: {} } });
    let clock = 1000;
    vi.spyOn(performance, "now").mockImplementation(() => clock);
    const onClose = vi.fn();
    render(<MarkWindow run={{ operator: "M. Okafor", marks: [] }} onClose={onClose} />);
    expect(screen.getByText(/^It marks \d\d:\d\d:\d\d, when you pressed\.$/)).toBeTruthy();
    fireEvent.change(screen.getByLabelText("What happened"), { target: { value: "pump off" } });
    clock = 8250;
    fireEvent.click(screen.getByRole("button", { name: "Mark" }));
    await vi.waitFor(() => expect(onClose).toHaveBeenCalled());
    expect(sent).toEqual([{ text: "pump off", by: "M. Okafor", ago_ms: 7250 }]);
    vi.restoreAllMocks();
  });
});
