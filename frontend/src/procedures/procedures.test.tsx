import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, render, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { MemoryRouter } from "react-router";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { ProcedureStatus } from "../api/client";
import { themes } from "../look/theme";
import { serve } from "../fixtures.test-setup";
import { Cards } from "./Cards";
import { cardsOf, durationWords } from "./lines";
import { ProceduresPage } from "./ProceduresPage";
import { Rehearsal } from "./Rehearsal";
import { Running } from "./Running";

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const TEXT = `# first
procedure Pump acceptance
  ask "Primed # or not?"   # a question
  for opening = 20, 40 [%]
    set valve-positioner.opening to opening
    wait until loop-flow > 20 [L/min], at most 5 s
  mark "done"
always
  set valve-positioner.opening to 50 [%]
`;

const status = (more: Partial<ProcedureStatus> = {}): ProcedureStatus => ({
  id: 7, inside: [], instruments: [], channels: [], called: {},
  name: "Pump acceptance", text: "", by: "M. Okafor", state: "running", line: 6, waits: "loop-flow > 20 [L/min]",
  progress: "loop-flow is 12 L/min", until: 9e15, question: null, begun_at: 1, ended_at: null, why: "", failed: false,
  log: [
    { at: 1e6, line: 3, words: "Primed? yes, by M. Okafor", good: true },
    { at: 2e6, line: 5, words: "Set opening 20: refused", good: false },
    { at: 3e6, line: 5, words: "Set opening 40: answered “OK”", good: true },
  ],
  ...more,
}); // prettier-ignore

describe("a procedure's cards", () => {
  it("are its steps, as deep as they stand", () => {
    expect(cardsOf(TEXT).map((one) => [one.line, one.depth, one.verb, one.always])).toEqual([
      [3, 0, "ask", false],
      [4, 0, "for", false],
      [5, 1, "set", false],
      [6, 1, "wait until", false],
      [7, 0, "mark", false],
      [9, 0, "set", true],
    ]);
    expect(cardsOf(TEXT)[0]?.rest).toBe('"Primed # or not?"');
  });
  it("say what came last of each, and which one is on", () => {
    render(<Cards text={TEXT} status={status()} />);
    const cards = screen.getAllByRole("listitem");
    expect(cards[3]?.getAttribute("aria-current")).toBe("step");
    expect(cards[2]?.textContent).toContain("Set opening 40: answered “OK”");
    expect(cards[2]?.textContent).not.toContain("refused");
  });
  it("show the steps of a procedure that is carried out by a step, below it", () => {
    const outer = 'procedure A\n  carry out "Hold"\n  mark "done"\n';
    const hold = 'procedure Hold\n  wait 1 s\nalways\n  say "over"\n';
    const at = (inside: ProcedureStatus["inside"]) =>
      render(<Cards text={outer} status={status({ line: 2, inside, log: [] })} called={{ Hold: hold }} />);
    at([{ name: "Hold", line: 2 }]);
    const words = screen.getAllByRole("listitem").map((one) => one.textContent.replace(/waits$/, ""));
    expect(words).toEqual(['▸carry out"Hold"', "▸wait1 s", '■say"over"', 'mark"done"']);
    expect(screen.getAllByRole("listitem")[1]?.getAttribute("aria-current")).toBe("step");
    cleanup();
    at([]);
    expect(screen.getAllByRole("listitem")).toHaveLength(2);
  });
  it("say how long it takes", () => {
    expect(durationWords(50, 650)).toBe("It takes 50 s to 11 min and the time of the answers.");
    expect(durationWords(7200, 7200)).toBe("It takes 2.0 h and the time of the answers.");
    expect(durationWords(0, 0)).toBe("It takes no time but that of the answers.");
  });
});

describe("a procedure that is carried out", () => {
  const show = (one: ProcedureStatus): unknown[] => {
    const { sent } = serve({
      "GET /api/procedure/7": { status: 200, body: { ...one, text: TEXT } },
      "POST /api/procedure/answer": { status: 204, body: null },
    });
    render(
      <QueryClientProvider client={new QueryClient()}>
        <Running status={one} by="M. Okafor" theme={themes.day} />
      </QueryClientProvider>,
    );
    return sent;
  };
  it("says what it waits for, and how near that is", async () => {
    show(status());
    const waits = within(screen.getByRole("region", { name: "What it waits for" }));
    expect(waits.getByText("loop-flow > 20 [L/min]")).toBeDefined();
    expect(waits.getByText("loop-flow is 12 L/min")).toBeDefined();
    expect(await screen.findByText(/valve-positioner.opening to opening/)).toBeDefined();
  });
  it("asks, and sends the answer with its line", async () => {
    const sent = show(
      status({ question: { number: 4, line: 3, text: "Primed?", answer: "yes or no", unit: "" } }),
    );
    await userEvent.click(screen.getByRole("button", { name: "Yes" }));
    expect(sent).toEqual([{ id: 7, question: 4, value: true, by: "M. Okafor" }]);
    cleanup();
    const numbers = show(
      status({ question: { number: 5, line: 3, text: "Which level?", answer: "number", unit: "mm" } }),
    );
    expect(screen.getByRole("button", { name: "Answer" })).toHaveProperty("disabled", true);
    await userEvent.type(screen.getByLabelText("Answer, mm"), "12,5");
    await userEvent.click(screen.getByRole("button", { name: "Answer" }));
    expect(numbers).toEqual([{ id: 7, question: 5, value: 12.5, by: "M. Okafor" }]);
    cleanup();
    const texts = show(
      status({ question: { number: 6, line: 3, text: "Serial number?", answer: "text", unit: "" } }),
    );
    await userEvent.type(screen.getByLabelText("Answer"), " K-17{Enter}");
    expect(texts).toEqual([{ id: 7, question: 6, value: "K-17", by: "M. Okafor" }]);
  });
  it("says why it has ended", () => {
    show(status({ state: "ended", failed: true, why: "stopped by M. Okafor", ended_at: 5e6 }));
    expect(
      within(screen.getByRole("region", { name: "How it ended" })).getByText("stopped by M. Okafor"),
    ).toBeDefined();
  });
});

describe("a rehearsal", () => {
  const report = (more: object) => ({
    took_s: 66, failed: false, why: "all steps are done", asks: null, silent: [], played_s: 68,
    log: [{ at: 8_500_000, line: 7, words: "steady", good: true }],
    sends: [{ after_s: 1, instrument: "valve", command: "opening", data: "VP 020.0", known: false }],
    ...more,
  }); // prettier-ignore
  const runs = { total: 1, runs: [{ id: "r1", name: "Acceptance", begun_at: 1e15 }] };
  it("says how long it would take, and what was taken as answered", async () => {
    const { sent } = serve({
      "GET /api/runs": { status: 200, body: runs },
      "POST /api/procedures/rehearse": { status: 200, body: report({}) },
    });
    within_(<Rehearsal text={TEXT} onClose={() => undefined} />);
    await userEvent.click(await screen.findByRole("button", { name: "Rehearse" }));
    expect(await screen.findByText("It would take 66 s.")).toBeDefined();
    expect(screen.getByText(/1 of 1 commands were not sent in that run/)).toBeDefined();
    expect(screen.getByText("00:00:08")).toBeDefined();
    expect(sent).toEqual([{ text: TEXT, run: "r1", answers: {} }]);
  });
  it("asks for the number that is wanted, and goes on with it", async () => {
    const { sent } = serve({
      "GET /api/runs": { status: 200, body: runs },
      "POST /api/procedures/rehearse": {
        status: 200,
        body: report({
          failed: true,
          why: "line 2 asks",
          asks: { number: 1, line: 2, text: "Mass?", answer: "number", unit: "" },
          silent: ["Valve"],
        }),
      },
    });
    within_(<Rehearsal text={TEXT} onClose={() => undefined} />);
    await userEvent.click(await screen.findByRole("button", { name: "Rehearse" }));
    expect(await screen.findByText("It would stop: line 2 asks.")).toBeDefined();
    expect(screen.getByText(/This run has nothing of Valve/)).toBeDefined();
    await userEvent.type(screen.getByLabelText("Line 2 asks for a number"), "7,5");
    await userEvent.click(screen.getByRole("button", { name: "Go on" }));
    await waitFor(() => expect(sent).toHaveLength(2));
    expect(sent[1]).toMatchObject({ answers: { 1: 7.5 } });
  });
});

const within_ = (element: React.ReactNode): void =>
  void render(
    <QueryClientProvider client={new QueryClient({ defaultOptions: { queries: { retry: false } } })}>
      {element}
    </QueryClientProvider>,
  );

describe("the page of procedures", () => {
  const check = (name: string) => ({ name, problems: [], sends: [], least_s: 0, most_s: 0 });
  const show = () =>
    render(
      <MemoryRouter>
        <QueryClientProvider client={new QueryClient({ defaultOptions: { queries: { retry: false } } })}>
          <ProceduresPage theme={themes.day} />
        </QueryClientProvider>
      </MemoryRouter>,
    );
  it("keeps what is being written over a look at another page", async () => {
    serve({
      "GET /api/procedures": { status: 200, body: [] },
      "POST /api/procedures/check": { status: 200, body: check("New procedure") },
    });
    const { unmount } = show();
    const area = await screen.findByLabelText("Text of the procedure");
    await userEvent.clear(area);
    await userEvent.type(area, "procedure Mine");
    unmount();
    show();
    expect(await screen.findByDisplayValue("procedure Mine")).toBeDefined();
    await userEvent.click(screen.getByRole("button", { name: "Discard" }));
    expect(screen.queryByDisplayValue("procedure Mine")).toBeNull();
  });
  it("opens a file that somebody brought, and shows what it would send before anything is kept or begun", async () => {
    const sends = [{ line: 2, instrument: "oven", command: "target", data: "TG 080.0\r" }];
    const { calls } = serve({
      "GET /api/procedures": { status: 200, body: [] },
      "POST /api/procedures/check": { status: 200, body: { ...check("Brought"), sends } },
    });
    show();
    await screen.findByText("open a file");
    const [input] = document.querySelectorAll<HTMLInputElement>("input[type=file]");
    const text = "procedure Brought\n  set oven.target to 80 [°C]\n";
    await userEvent.upload(input as HTMLInputElement, new File([text], "brought.procedure"));
    expect(await screen.findByDisplayValue(/procedure Brought/)).toBeDefined();
    expect(await screen.findByText("TG 080.0")).toBeDefined();
    expect(screen.getByText("not kept yet")).toBeDefined();
    expect(calls.filter((call) => /start|POST \/api\/procedures$/.test(call))).toEqual([]);
    await userEvent.click(screen.getByRole("button", { name: "Discard" }));
  });
  it("begins nothing by what was found out of an older text", async () => {
    let answer: ((response: Response) => void) | null = null;
    const checks: string[] = [];
    vi.stubGlobal("fetch", (request: Request) => {
      if (!request.url.endsWith("/check")) return Promise.resolve(Response.json([]));
      return new Promise<Response>((resolve) => {
        void request.json().then(({ text }: { text: string }) => {
          checks.push(text);
          answer = resolve;
          if (!text.includes("!")) resolve(Response.json(check("New procedure")));
        });
      });
    });
    show();
    const begin = await screen.findByRole("button", { name: "Begin" });
    await waitFor(() => expect(begin).toHaveProperty("disabled", false));
    await userEvent.type(screen.getByLabelText("Text of the procedure"), "!");
    await waitFor(() => expect(checks[checks.length - 1]).toContain("!"));
    expect(begin).toHaveProperty("disabled", true);
    (answer as unknown as (response: Response) => void)(Response.json(check("New procedure")));
    await waitFor(() => expect(begin).toHaveProperty("disabled", false));
    await userEvent.click(screen.getByRole("button", { name: "Discard" }));
  });
});
