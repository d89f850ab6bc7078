import { act, cleanup, render, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { Channel, ReactionStatus, Status } from "../api/client";
import { serve, allWithin } from "../fixtures.test-setup";
import { connection } from "../live/connection";
import { ReactionBanner } from "./ReactionBanner";
import { ReactionCard } from "./ReactionCard";
import {
  doing,
  fresh,
  idFrom,
  standingsOf,
  watchedFor,
  watching,
  watchingChannel,
  watchWords,
} from "./reactionDraft";

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const level = {
  id: "level", name: "Level", unit: "%", decimals: 1, states: [], usual: [0, 60], limits: { high: 80 },
} as unknown as Channel; // prettier-ignore
const state = { id: "state", name: "State", unit: "", decimals: 0, states: ["well", "fault"], usual: [], limits: {} } as unknown as Channel; // prettier-ignore

describe("a reaction that is being written", () => {
  it("begins with what its channel can be watched for", () => {
    expect(fresh(level, [])).toMatchObject({ id: "level", name: "Level", above: 80, words: [] });
    expect(fresh(state, [])).toMatchObject({ words: ["well"], above: null });
    expect(fresh(level, []).do).toHaveLength(1);
  });
  it("has a name and an id that no other has", () => {
    const first = fresh(level, []);
    expect(fresh(level, [first])).toMatchObject({ id: "level-2", name: "Level 2" });
    expect(idFrom("Überlauf!", [])).toBe("berlauf");
  });
  it("never does anything at a standing that it cannot have", () => {
    const first = fresh(level, []);
    const both = watching(first, { below: 10, do: [...first.do, doing("above", "end run", NONE)] });
    expect(standingsOf(both)).toEqual(["below", "good", "above"]);
    const low = watching(both, { above: null });
    expect(low.do.map((one) => one.when)).toEqual(["below"]);
    expect(watchedFor(both, "message", level)).toMatchObject({ message: true, hold_off_s: 1, above: null });
    expect(watchedFor(both, "loss", level).do.map((one) => one.when)).toEqual(["not measured"]);
  });
  it("takes another channel's levels until it is kept, and then stays with its own", () => {
    const other = { ...level, id: "other", limits: {} } as unknown as Channel;
    const first = watching(fresh(level, []), { above: 33 });
    expect(watchingChannel(first, other, level, false)).toMatchObject({ channel: "other", above: 60 });
    expect(watchingChannel(first, other, level, true)).toMatchObject({ channel: "other", above: 33 });
    expect(watchingChannel(first, state, level, true)).toMatchObject({ words: ["well"], above: null });
  });
  it("says what it watches in a line", () => {
    const part = watching(fresh(level, []), { for_s: 2, not_measured_s: 60 });
    expect(watchWords(part, level)).toBe("Level above 80.0 % for 2 s, or not measured for 60 s");
  });
});

const NONE = { instrument: "", command: "", procedure: "" };
const heard = connection as unknown as { text: (message: unknown) => void };

const STATUS = {
  at: 1, session: "s", pid: 1, instruments: [], channels: [], ports: [], run: null, crossings: [], overdue: [], version: "0",
  zone: "", verdict: allWithin, disk: { free_bytes: 1, hours_left: null }, safe: [],
} as unknown as Status; // prettier-ignore

const told = (...reactions: Partial<ReactionStatus>[]): void =>
  act(() => heard.text({ kind: "status", why: "", status: { ...STATUS, reactions } }));

describe("what reactions say", () => {
  it("stands on every page until somebody has seen it, two of the same words once", async () => {
    const { sent } = serve({
      "POST /api/reactions/a/seen": { status: 204, body: null },
      "POST /api/reactions/b/seen": { status: 204, body: null },
    });
    render(<ReactionBanner />);
    told({ id: "a", banner: "", last_at: 1 });
    expect(screen.queryByRole("alert")).toBeNull();
    const words = "“A” and “B” set each other off";
    told({ id: "a", banner: words, last_at: 1e6 }, { id: "b", banner: words, last_at: 2e6 });
    expect(screen.getAllByText(/set each other off/)).toHaveLength(1);
    await userEvent.click(screen.getByRole("button", { name: "Seen" }));
    await waitFor(() => expect(sent).toHaveLength(2));
  });
});

describe("the card of a reaction", () => {
  const status = (more: Partial<ReactionStatus> = {}): ReactionStatus => ({
    id: "level", name: "Level", channel: "level", disarmed: "", problems: [], stands: "good", since: 1, value: 40, count: 0,
    last_at: null, words: "", good: true, banner: "", sound: false, ...more,
  }); // prettier-ignore
  const card = (problems: string[], more: Partial<ReactionStatus> = {}): HTMLInputElement => {
    render(
      <ReactionCard
        part={fresh(level, [])} status={status(more)} kept isNew={false} problems={problems} channels={[level]} commands={[]}
        procedures={[]} first={NONE} by="" open={false} onOpen={() => undefined} onPart={() => undefined}
        onName={() => undefined} onRemove={() => undefined}
      />,
    ); // prettier-ignore
    return screen.getByRole("switch");
  };
  it("shows as armed only what would act", () => {
    expect(card([]).checked).toBe(true);
    cleanup();
    expect(card(["There is no channel."]).checked).toBe(false);
    expect(screen.getByText("does not act")).toBeDefined();
    cleanup();
    expect(card([], { disarmed: "disarmed by M. Okafor" }).checked).toBe(false);
  });
});
