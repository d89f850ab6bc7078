import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { act, cleanup, render, renderHook, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { Status } from "../api/client";
import { hear, serve } from "../fixtures.test-setup";
import type { LiveState } from "../live/connection";
import { AlarmBanner } from "./AlarmBanner";
import { AlarmSettings } from "./AlarmSettings";
import { call, want, wanted } from "./calls";
import { type Alarm, alarmsOf, heardOf, useAlarms } from "./useAlarms";
import { tabOf } from "./useTab";

beforeEach(() => localStorage.clear());
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
  vi.useRealTimers();
});

const alarm = (id: number, words: string, over = 0): Alarm => ({ id, words, since: 1e12 + id, over });
const banner = (alarms: Alarm[]): void => {
  render(
    <QueryClientProvider client={new QueryClient()}>
      <AlarmBanner alarms={alarms} run={null} onSettings={() => undefined} />
    </QueryClientProvider>,
  );
};
const run = { name: "Pump 7", operator: "M. Okafor" } as Status["run"];
const live = (more: Partial<LiveState> = {}, crossings: Status["crossings"] = []): LiveState => ({
  line: "live", since: 0, why: "", ended: null, status: { run, crossings } as unknown as Status, ...more,
}); // prettier-ignore
const crossing = (id: number, words: string): NonNullable<Status["crossings"]>[number] => ({
  id, back_at: 0,
  crossing: { at: 1e15, channel: 0, name: "F", state: "stopped", before: "", value: null, limit: null, words, word: "" },
}); // prettier-ignore

/** Notices of a browser that gives leave or does not; what they said. */
function fakeNotices(permission: string): { notices: string[]; Notice: { permission: string } } {
  const notices: string[] = [];
  const Notice = Object.assign(
    function (_: string, more: { body: string }) {
      notices.push(more.body);
    },
    { permission, requestPermission: async (): Promise<string> => Notice.permission },
  );
  vi.stubGlobal("Notification", Notice);
  return { notices, Notice };
}

describe("the banner", () => {
  it("has the first cause first, and stays until a person has seen it, whose name is sent", async () => {
    const { sent } = serve({ "POST /api/crossings/acknowledge": { status: 204, body: null } });
    await want({ person: "M. Okafor" });
    banner([alarm(3, "Flow meter has stopped", 1e12 + 9), alarm(4, "Power is high"), alarm(5, "Third")]);
    const items = screen.getAllByRole("listitem");
    expect(items[0]?.textContent).toMatch(/^Flow meter has stopped since .* over at/);
    expect(items[1]?.textContent).toMatch(/^then Power is high/);
    expect(screen.getByText(/1 more\./)).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "all" }));
    expect(screen.getByText(/then Third/)).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Seen" }));
    await vi.waitFor(() => expect(sent).toContainEqual({ crossings: [3, 4, 5], by: "M. Okafor" }));
  });
  it("cannot be sent away while the line itself is silent", () => {
    banner([alarm(0, "Nothing is heard from the bench.")]);
    expect(screen.queryByRole("button", { name: "Seen" })).toBeNull();
  });
});

describe("silence of the line", () => {
  it("is an alarm after eight seconds, and stands first", () => {
    const silent = live({ line: "silent", since: 100_000 }, [crossing(2, "Flow is high")]);
    expect(alarmsOf(heardOf(silent), false).map((one) => one.id)).toEqual([2]);
    const [first, second] = alarmsOf(heardOf(silent), true);
    expect(first).toMatchObject({ id: 0, since: 100_000 });
    expect(first?.words).toContain("“Pump 7” was being logged; whether it still is cannot be seen here");
    expect(second?.id).toBe(2);
    expect(alarmsOf(heardOf(live()), false)).toEqual([]);
  });
});

describe("calling", () => {
  it("happens only as it is wanted, and notices need the browser's leave", async () => {
    const { notices, Notice } = fakeNotices("denied");
    expect(await want({ notice: true })).toMatchObject({ sound: false, notice: false });
    Notice.permission = "granted";
    expect(await want({ notice: true })).toMatchObject({ sound: false, notice: true });
    call("Flow is low");
    await want({ notice: false });
    call("again");
    expect(notices).toEqual(["Flow is low"]);
    localStorage.setItem("tidybench-calls", "sound ");
    expect(wanted()).toMatchObject({ sound: true, notice: false, again: 30 });
  });

  it("comes at once, again until somebody has seen it, and no more then", async () => {
    vi.useFakeTimers();
    const { notices } = fakeNotices("granted");
    await want({ notice: true, again: 10 });
    hear(live());
    renderHook(() => useAlarms());
    expect(notices).toEqual([]);
    hear(live({}, [crossing(1, "Flow is high")]));
    expect(notices).toEqual(["Flow is high"]);
    hear(live({}, [crossing(1, "Flow is high")]));
    await vi.advanceTimersByTimeAsync(9_000);
    expect(notices).toHaveLength(1);
    await vi.advanceTimersByTimeAsync(3_000);
    expect(notices).toHaveLength(2);
    hear(live({}, []));
    await vi.advanceTimersByTimeAsync(60_000);
    expect(notices).toHaveLength(2);
  });

  it("comes eight seconds after the bench was heard last", async () => {
    vi.useFakeTimers();
    const { notices } = fakeNotices("granted");
    await want({ notice: true, again: 0 });
    hear(live({ line: "silent", since: Date.now() - 4_000 }));
    renderHook(() => useAlarms());
    await act(() => vi.advanceTimersByTimeAsync(3_900));
    expect(notices).toEqual([]);
    await act(() => vi.advanceTimersByTimeAsync(200));
    expect(notices).toHaveLength(1);
    expect(notices[0]).toContain("Nothing is heard from the bench");
    hear(live({ line: "live", since: Date.now() }));
    await vi.advanceTimersByTimeAsync(60_000);
    expect(notices).toHaveLength(1);
  });

  it("is set in a window of its own, which can test the sound", async () => {
    const played = vi.fn();
    const part = {
      connect: (to: unknown) => to,
      setValueAtTime: played,
      exponentialRampToValueAtTime: played,
    };
    vi.stubGlobal(
      "AudioContext",
      class {
        currentTime = 0;
        destination = {};
        createOscillator = (): unknown => ({
          frequency: {},
          connect: () => part,
          start: played,
          stop: played,
        });
        createGain = (): unknown => ({ ...part, gain: part });
        close = (): Promise<void> => Promise.resolve();
      },
    );
    render(<AlarmSettings onClose={() => undefined} />);
    await userEvent.click(screen.getByRole("switch", { name: "Sound" }));
    await vi.waitFor(() => expect(wanted().sound).toBe(true));
    expect(played).not.toHaveBeenCalled();
    await userEvent.click(screen.getByRole("button", { name: "Test the sound" }));
    expect(played).toHaveBeenCalled();
    expect(screen.getByText("This browser gives no notices.")).toBeTruthy();
  });
});

describe("the browser's tab", () => {
  it("says what is logged, and that there is an alarm", () => {
    expect(tabOf([], null).title).toBe("Tidy Bench");
    expect(tabOf([], run).title).toBe("Logging: Pump 7 – Tidy Bench");
    const both = tabOf([alarm(1, "Flow is high"), alarm(2, "x")], run);
    expect(both.title).toBe("Alarm: Flow is high and 1 more – Tidy Bench");
    const icons = [tabOf([], null).icon, tabOf([], run).icon, both.icon];
    expect(new Set(icons).size).toBe(3);
  });
});
