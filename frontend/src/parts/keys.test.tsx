import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { KeysWindow } from "../look/KeysWindow";
import { useKeys } from "./useKeys";

function Page({ act, back }: { act: () => void; back: () => void }) {
  useKeys({ f: act, Escape: back });
  return (
    <>
      <button type="button">page</button>
      <div role="menu">
        <div role="menuitem" tabIndex={0}>
          choice
        </div>
      </div>
      <input aria-label="field" />
    </>
  );
}

describe("single keys", () => {
  beforeEach(() => {
    vi.useFakeTimers();
  });
  afterEach(() => {
    cleanup();
    vi.useRealTimers();
    localStorage.clear();
  });
  const press = (element: Element, key: string): void => {
    vi.advanceTimersByTime(1000);
    fireEvent.keyDown(element, { key });
    vi.advanceTimersByTime(1000);
  };

  it("act on the page, and neither in a field nor in an open menu", () => {
    const [act, back] = [vi.fn(), vi.fn()];
    render(<Page act={act} back={back} />);
    press(screen.getByText("page"), "f");
    expect(act).toHaveBeenCalledTimes(1);
    press(screen.getByText("choice"), "f");
    press(screen.getByLabelText("field"), "f");
    expect(act).toHaveBeenCalledTimes(1);
  });

  it("can be switched off, all but Esc", () => {
    const [act, back] = [vi.fn(), vi.fn()];
    const { unmount } = render(<KeysWindow onClose={vi.fn()} />);
    fireEvent.click(screen.getByRole("switch", { name: "Single keys act in this browser" }));
    expect(screen.getByText(/Only Esc does now/)).toBeTruthy();
    unmount();
    render(<Page act={act} back={back} />);
    press(screen.getByText("page"), "f");
    press(screen.getByText("page"), "Escape");
    expect([act.mock.calls.length, back.mock.calls.length]).toEqual([0, 1]);
  });
});
