import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, render, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useState } from "react";
import { afterEach, describe, expect, it, vi } from "vitest";
import { serve } from "../fixtures.test-setup";
import { EditableCards } from "./EditableCards";
import { added, hasNoElse, moved, neighbour, removed, replaced } from "./edit";
import { cardsOf } from "./lines";

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const TEXT = `procedure Firing
  # first of all
  ask "Primed # or not?"   # a question

  if flow > 5
    say "a"
    # within
    say "b"
  else
    say "c"
  mark "done"
always
  set kiln.target to 20 [°C]
`;

const rows = (text: string): string[] => text.split("\n");

describe("the text of a procedure", () => {
  it("is changed in one line, whose comment stays", () => {
    expect(rows(replaced(TEXT, 3, 'ask "Ready?"'))[2]).toBe('  ask "Ready?"   # a question');
    expect(rows(replaced(TEXT, 8, 'say "x"'))[7]).toBe('    say "x"');
  });
  it("loses a step with what stands within it", () => {
    expect(rows(removed(TEXT, 5)).slice(2, 6)).toEqual([
      '  ask "Primed # or not?"   # a question',
      "",
      '  mark "done"',
      "always",
    ]);
    expect(removed(TEXT, 3)).not.toContain("first of all");
    expect(rows(removed(TEXT, 9)).slice(6, 10)).toEqual([
      "    # within",
      '    say "b"',
      '  mark "done"',
      "always",
    ]);
  });
  it("has its steps in another order, with their comments and all within them", () => {
    const down = moved(TEXT, 3, 1);
    expect(rows(down).slice(0, 11)).toEqual([
      "procedure Firing",
      "  if flow > 5",
      '    say "a"',
      "    # within",
      '    say "b"',
      "  else",
      '    say "c"',
      "",
      "  # first of all",
      '  ask "Primed # or not?"   # a question',
      '  mark "done"',
    ]);
    expect(moved(down, 10, -1)).toBe(TEXT);
    expect(moved(TEXT, 8, -1)).toContain('    # within\n    say "b"\n    say "a"\n  else');
  });
  it("moves a step no further than its block", () => {
    const cards = cardsOf(TEXT);
    expect(neighbour(cards, 3, -1)).toBeUndefined();
    expect(neighbour(cards, 11, 1)).toBeUndefined();
    expect(neighbour(cards, 8, 1)).toBeUndefined();
    expect(neighbour(cards, 9, -1)).toBeUndefined();
    expect(neighbour(cards, 11, -1)?.line).toBe(5);
    expect(neighbour(cards, 13, -1)).toBeUndefined();
    expect(moved(TEXT, 13, -1)).toBe(TEXT);
  });
  it("takes a new step where it is wanted", () => {
    expect(rows(added(TEXT, { below: 5 }, "end run"))[10]).toBe("  end run");
    expect(rows(added(TEXT, { within: 5 }, "end run"))[5]).toBe("    end run");
    expect(rows(added(TEXT, "steps", "end run"))[11]).toBe("  end run");
    expect(rows(added(TEXT, "always", "end run"))[13]).toBe("  end run");
    expect(added("procedure A\n", "steps", "wait 5 s")).toBe("procedure A\n  wait 5 s\n");
    expect(added("procedure A\n  wait 5 s\n\n", "always", "end run")).toBe(
      "procedure A\n  wait 5 s\nalways\n  end run\n",
    );
    expect(added("procedure A\n  repeat 2 times\n", { within: 2 }, "wait 1 s")).toBe(
      "procedure A\n  repeat 2 times\n    wait 1 s\n",
    );
    expect(added("procedure A\n  if 1 < 2\n    end run\n", { otherwise: 2 }, "wait 1 s")).toBe(
      "procedure A\n  if 1 < 2\n    end run\n  else\n    wait 1 s\n",
    );
    expect(hasNoElse(cardsOf(TEXT), 5)).toBe(false);
    expect(hasNoElse(cardsOf(removed(TEXT, 9)), 5)).toBe(true);
  });
});

describe("cards that are filled in", () => {
  const last: { text: string } = { text: "" };
  function Editing() {
    const [text, setText] = useState(TEXT);
    last.text = text;
    return <EditableCards text={text} onText={setText} wrong={new Set([11])} />;
  }
  const show = (line: object, card: object = { card: null, problem: null }) => {
    const served = serve({
      "GET /api/commands": { status: 200, body: [] },
      "GET /api/plans": { status: 200, body: [] },
      "GET /api/procedures": { status: 200, body: [] },
      "POST /api/procedures/card": { status: 200, body: card },
      "POST /api/procedures/line": { status: 200, body: line },
    });
    render(
      <QueryClientProvider client={new QueryClient({ defaultOptions: { queries: { retry: false } } })}>
        <Editing />
      </QueryClientProvider>,
    );
    return served;
  };
  it("write the line that the server makes of them", async () => {
    const { sent } = show(
      { words: 'mark "all done"', problem: "" },
      { card: { kind: "mark", fields: { text: "done" } }, problem: null },
    );
    await userEvent.click(screen.getByRole("button", { name: 'mark "done"' }));
    const field = await screen.findByLabelText("Text");
    await userEvent.clear(field);
    await userEvent.type(field, "all done");
    await waitFor(() => expect(screen.getByText('mark "all done"')).toBeDefined());
    await waitFor(() =>
      expect(sent[sent.length - 1]).toEqual({ kind: "mark", fields: { text: "all done" } }),
    );
    await userEvent.click(await screen.findByRole("button", { name: "Take it" }));
    expect(last.text).toBe(TEXT.replace('"done"', '"all done"'));
    expect(screen.queryByLabelText("Text")).toBeNull();
  });
  it("say what is wrong in a field, and are not taken then", async () => {
    show({ words: "", problem: "Fill in: command." });
    await userEvent.click(screen.getByRole("button", { name: "Add a step" }));
    expect(await screen.findByText("Fill in: What.")).toBeDefined();
    expect(screen.getByRole("button", { name: "Add it" })).toHaveProperty("disabled", true);
    expect(last.text).toBe(TEXT);
  });
  it("say that a line cannot be read", async () => {
    show(
      { words: "", problem: "Fill in: command." },
      { card: null, problem: { line: 1, column: 1, what: "“mrak” is no step." } },
    );
    await userEvent.click(screen.getByRole("button", { name: 'mark "done"' }));
    expect(await screen.findByText(/“mrak” is no step\./)).toBeDefined();
  });
  it("are moved and removed", async () => {
    show(
      { words: 'mark "done"', problem: "" },
      { card: { kind: "mark", fields: { text: "done" } }, problem: null },
    );
    await userEvent.click(screen.getByRole("button", { name: 'mark "done"' }));
    await userEvent.click(await screen.findByRole("button", { name: "up" }));
    expect(last.text).toBe(moved(TEXT, 11, -1));
    await userEvent.click(screen.getByRole("button", { name: 'mark "done"' }));
    await userEvent.click(await screen.findByRole("button", { name: "remove" }));
    expect(last.text).not.toContain("done");
  });
});
