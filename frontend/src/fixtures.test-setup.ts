/** What several tests of the interface need: an instrument, its stages, a web server's answers. */

import { act, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { vi } from "vitest";
import type { Channel, Instrument, Port, PreviewRow, QueryPart, Schemas, Setup, Stage } from "./api/client";
import { noLimits } from "./instruments/limits";
import { connection, type LiveState } from "./live/connection";

/** A verdict over channels with limits: all within. */
export const allWithin: Schemas["Verdict"] = {
  state: "within",
  limited: 1,
  beyond: [],
  cautions: [],
  unknown: [],
};

export const stage = (
  name: Stage["name"],
  state: Stage["state"] = "passing",
  words = "",
  sentence = "All well.",
  offer: Stage["offer"] = "",
): Stage => ({ name, state, words, sentence, offer, figures: "" });

export const well = (): Stage[] => [
  stage("Port"), stage("Bytes"), stage("Messages"), stage("Readings"), stage("Channels"),
]; // prettier-ignore

export const instrument = (more: Partial<Instrument> = {}): Instrument => ({
  id: "loop-flow-meter", name: "Loop flow meter", group: "", talks: "when asked", link: "port 3", kind: "serial",
  settings: "9600 8-N-1", sends_end: "\r", asked_per_s: 5, has_queries: true, draws: false, messages_per_s: 5, answer_ms: 29,
  stages: well(), simulated: false, released: false, modem: null, identity: null, acts: [], ...more,
}); // prettier-ignore

export const port = (name: string, more: Partial<Port> = {}): Port => ({
  name, device: name, label: "", description: "serial port", maker: "", product: "", usb_ids: "", serial_number: "",
  place: "", holder: "", remedy: "", used_by: [], simulated: false, ...more,
}); // prettier-ignore

/** Answers of the web server, by method and path. Gives what was sent to those, and all that was called. */
export function serve(answers: Record<string, { status: number; body: unknown }>): {
  sent: unknown[];
  calls: string[];
} {
  const sent: unknown[] = [];
  const calls: string[] = [];
  vi.stubGlobal("fetch", async (request: Request) => {
    const text = await request.text();
    const call = `${request.method} ${new URL(request.url).pathname}`;
    if (text && answers[call]) sent.push(JSON.parse(text));
    calls.push(call);
    const answer = answers[call] ?? {
      status: 404,
      body: { detail: "?" },
    };
    const body = answer.status === 204 ? null : JSON.stringify(answer.body);
    return new Response(body, { status: answer.status, headers: { "Content-Type": "application/json" } });
  });
  return { sent, calls };
}

/** A framing with every key, as the server gives it. */
export const framing = (part: Partial<Setup["framing"]> = {}): Setup["framing"] => ({
  kind: "ends with", terminator: "\r\n", prompt: "", start: "", end: "", behind: 0, length: 0, silence_ms: 20, count: null, check: "none",
  longest: 4096, encoding: "ascii", ...part,
}); // prettier-ignore

/** A query with every key. */
export const query = (part: Partial<QueryPart> = {}): QueryPart => ({
  id: "flow", send: "FL?\r", every_s: 0.2, on_demand: false, give_up_after_s: 0.5, lines: 1, until: "", quiet_ms: 0, trigger: "",
  trigger_wait_s: 0.1, reader: null, patterns: ["FL=<flow>"], errors: [], ...part,
}); // prettier-ignore

/** A message as the preview shows it. */
export const previewRow = (part: Partial<PreviewRow> = {}): PreviewRow => ({
  at: 1e12, message: "FL=+0148.27", query: "flow", fields: { flow: "148.27" }, why: "", column: 0,
  spans: [{ start: 3, end: 11, name: "flow", kind: "number" }], pattern: 0, ...part,
}); // prettier-ignore

/** What a set-up says of its instrument. */
export const told = (part: Partial<Setup["instrument"]> = {}): Setup["instrument"] => ({
  id: "m", name: "Meter", talks: "when asked", power_up: "", group: "", note: "", warm_up_s: 0, calibration: null, ...part,
}); // prettier-ignore

/** A channel of a set-up, with every key. */
export const channelPart = (part: Partial<Setup["channel"][number]> = {}): Setup["channel"][number] => ({
  id: "flow", name: "Loop flow", field: "flow", query: null, unit: "L/min", scale: 1, offset: 0, scaling: [], zero: null,
  filter: [], thinning: null, clock: null, states: [], marks: [], usual: null, decimals: 1, limits: noLimits,
  calibration: null, ...part,
}); // prettier-ignore

/** A channel in force. */
export const inForce = (part: Partial<Channel> = {}): Channel => ({
  number: 1, id: "f", name: "Loop flow", unit: "L/min", decimals: 1, interval_s: 0.2, instrument: "i", low: 60, high: 165,
  clock: false, timed_by: 0, states: [], usual: [],
  limits: { low: 60, high: 165, hysteresis: 0, delay_s: 0, after_start_s: 0, caution: [], alarm: [], state: "within", since: 0, band: 1, settled: false },
  zero: 0, zeroed_at: 0, own_zero: false, expression: "", problem: "", ...part,
}); // prettier-ignore

/** The live state as the pages hear it. */
export function hear(state: Partial<LiveState>): void {
  const live = connection as unknown as { state: LiveState; listeners: Set<() => void> };
  live.state = { ...live.state, ...state };
  act(() => live.listeners.forEach((listener) => listener()));
}

const choiceOf = (label: string): HTMLElement =>
  screen.getByRole("button", {
    name: (name) => name.endsWith(label) && (name === label || name.endsWith(` ${label}`)),
  });

/** What stands in a choice, in words. */
export const chosen = (label: string): string | null => choiceOf(label).textContent;

/** Chooses an option of a choice by its value or its words. */
export async function pick(label: string, option: string): Promise<void> {
  await userEvent.click(await waitFor(() => choiceOf(label)));
  const all = await screen.findAllByRole("option");
  const mine = all.find((one) => one.dataset["key"] === option || one.textContent === option);
  if (!mine) throw new Error(`no option ${option} among ${all.map((one) => one.textContent).join(", ")}`);
  await userEvent.click(mine);
}
