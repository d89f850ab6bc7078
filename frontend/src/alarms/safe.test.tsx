import { act, cleanup, render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import type { Status } from "../api/client";
import { allWithin } from "../fixtures.test-setup";
import { connection } from "../live/connection";
import { SafeBanner } from "./SafeBanner";

beforeEach(() => sessionStorage.clear());
afterEach(cleanup);

const heard = connection as unknown as { text: (message: unknown) => void };

const told = (good: boolean, at: number): void => {
  const safe = [
    {
      instrument: "valve",
      name: "Valve",
      at,
      why: "Tidy Bench ends",
      good,
      words: "Shut: no answer within 1 s",
    },
  ];
  act(() => heard.text({ kind: "status", why: "", status: { ...STATUS, safe } }));
};

const STATUS = {
  at: 1, session: "s", pid: 1, instruments: [], channels: [], ports: [], run: null, crossings: [], overdue: [], version: "0",
  zone: "", verdict: allWithin, disk: { free_bytes: 1, hours_left: null },
} as unknown as Status; // prettier-ignore

describe("a safe state that was not reached", () => {
  it("is said until somebody has seen it, and said again the next time", async () => {
    render(<SafeBanner />);
    told(true, 1_000_000);
    expect(screen.queryByRole("alert")).toBeNull();
    told(false, 1_000_000);
    expect(screen.getByRole("alert").textContent).toContain("The safe state of Valve was not reached");
    expect(screen.getByRole("alert").textContent).toContain("Shut: no answer within 1 s");
    await userEvent.click(screen.getByRole("button", { name: "Seen" }));
    expect(screen.queryByRole("alert")).toBeNull();
    told(false, 2_000_000);
    expect(screen.getByRole("alert")).toBeDefined();
  });
});
