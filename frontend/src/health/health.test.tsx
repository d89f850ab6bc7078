import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { MemoryRouter } from "react-router";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { Health } from "../api/client";
import { serve } from "../fixtures.test-setup";
import { HealthPage } from "./HealthPage";

const well = { well: true, words: "heard" };
const health = (more: Partial<Health> = {}): Health => ({
  well: true, recorder: well, links: { well: true, words: "all passing" }, disk: { well: true, words: "70.1 GB free" }, copies: { well: true, words: "no run waits to be copied elsewhere" },
  database: { well: true, words: "answers" }, clerk: { well: true, words: "records follow" }, errors: [], logs: "/data/logs",
  versions: { recorder: "0.1.0", web_server: "0.1.0", database: "15.18", python: "3.11.7" }, ...more,
}); // prettier-ignore

function show(answer: { status: number; body: unknown }): { sent: unknown[] } {
  const served = serve({
    "GET /api/health": answer,
    "POST /api/health/question": { status: 204, body: null },
  });
  render(
    <QueryClientProvider client={new QueryClient()}>
      <MemoryRouter>
        <HealthPage />
      </MemoryRouter>
    </QueryClientProvider>,
  );
  return served;
}

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

describe("the page about the bench itself", () => {
  it("says of each part how it is, and which versions run", async () => {
    show({ status: 200, body: health() });
    const rows = await screen.findAllByRole("row");
    expect(rows.map((row) => row.textContent)).toEqual([
      "Recorderwellheard",
      "Linkswellall passing",
      "Diskwell70.1 GB free",
      "Copieswellno run waits to be copied elsewhere",
      "Databasewellanswers",
      "Recordswellrecords follow",
    ]);
    expect(screen.getByText("15.18")).toBeTruthy();
    expect(screen.getByText("/data/logs")).toBeTruthy();
    expect(screen.getByText(/None since the processes were started/)).toBeTruthy();
  });

  it("shows what is not well in words, and the last errors with their tracebacks", async () => {
    const body = health({
      well: false,
      links: { well: false, words: "stopped: Loop flow meter" },
      errors: [
        { at: 1e15, level: "error", where: "recorder.service", message: "a request failed", detail: "ZeroDivisionError: x", process: "recorder" },
        { at: 9e14, level: "warning", where: "web.clerk", message: "the database does not answer", detail: "", process: "web server" },
      ],
    }); // prettier-ignore
    show({ status: 200, body });
    expect((await screen.findByText(/stopped: Loop flow meter/)).closest("tr")?.textContent).toContain(
      "not well",
    );
    expect(screen.getByRole("link", { name: "Look at the instruments" })).toBeTruthy();
    const items = screen.getAllByRole("listitem");
    expect(items).toHaveLength(2);
    expect(items[0]?.textContent).toContain("ZeroDivisionError: x");
    expect(items[1]?.querySelector("details")).toBeNull();
  });

  it("says when the web server does not answer", async () => {
    show({ status: 503, body: { detail: "The recorder does not answer." } });
    expect((await screen.findByRole("alert")).textContent).toBe("The recorder does not answer.");
  });

  it("asks whose set-ups are right when the database knew less, and sends the answer", async () => {
    const question = { at: 1e15, filled: ["Loop flow meter"], out_of_use: ["Old balance"], had: 2 };
    const { sent } = show({ status: 200, body: health({ question }) });
    expect(await screen.findByText(/It did not know: Loop flow meter/)).toBeTruthy();
    expect(screen.getByText(/the bench had not: Old balance/)).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Take the 2 that the database had" }));
    expect(sent).toEqual([{ take: "database" }]);
  });

  it("offers nothing of a database that had nothing", async () => {
    show({ status: 200, body: health({ question: { at: 1e15, filled: ["A"], out_of_use: [], had: 0 } }) });
    expect(await screen.findByRole("button", { name: "Keep the bench’s set-ups" })).toBeTruthy();
    expect(screen.queryByRole("button", { name: /database had/ })).toBeNull();
  });
});
