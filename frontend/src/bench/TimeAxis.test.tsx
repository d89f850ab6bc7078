import { act, cleanup, render, screen } from "@testing-library/react";
import { afterEach, expect, it, vi } from "vitest";
import { TimeAxis } from "./TimeAxis";

afterEach(() => {
  cleanup();
  vi.restoreAllMocks();
});

it("moves its ticks, takes in those that come, and leaves its edge where it is", () => {
  let end = Date.UTC(2026, 10, 26, 12, 0, 30);
  let draw = (): void => undefined;
  let now = 1000;
  vi.spyOn(performance, "now").mockImplementation(() => now);
  vi.spyOn(Date, "now").mockImplementation(() => end); // no date beside a tick
  const view = (): { start: number; end: number } => ({ start: end - 300_000, end });
  const register = (given: () => void): (() => void) => {
    draw = given;
    return () => undefined;
  };
  render(<TimeAxis view={view} edge="now" register={register} />);
  const edge = screen.getByText("now");
  const places = (): number[] =>
    [...(edge.parentElement?.querySelectorAll("div > span") ?? [])]
      .map((tick) => Number.parseFloat((tick as HTMLElement).style.left))
      .filter((place) => !Number.isNaN(place));
  const before = places();
  // A minute later every tick has moved by a fifth of the axis, and another one has come.
  for (let second = 0; second < 60; second++) {
    end += 1000;
    now += 300;
    act(() => draw());
    expect(edge.style.left).toBe("auto");
  }
  expect(places()).toEqual(before);
  end += 15_000;
  act(() => draw());
  expect(places()[1]).toBeCloseTo((before[1] ?? 0) - 5, 1);
});
