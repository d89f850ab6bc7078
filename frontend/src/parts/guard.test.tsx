import { cleanup, render, screen } from "@testing-library/react";
import { afterEach, expect, it, vi } from "vitest";
import { Guard } from "./Guard";

afterEach(() => {
  cleanup();
  vi.restoreAllMocks();
});

function Broken(): never {
  throw new Error("no such key");
}

it("says that a page failed, and lets go of it at another place", () => {
  vi.spyOn(console, "error").mockImplementation(() => undefined);
  const { rerender } = render(
    <Guard place="/a">
      <Broken />
    </Guard>,
  );
  expect(screen.getByRole("alert").textContent).toContain("This page failed (no such key)");
  rerender(
    <Guard place="/b">
      <p>well</p>
    </Guard>,
  );
  expect(screen.getByText("well")).toBeTruthy();
});
