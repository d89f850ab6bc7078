import type { Channel, Command, DoPart, ReactionPart } from "../api/client";
import { figure } from "../look/format";

export type Standing = DoPart["when"];
/** What a channel is watched for. */
export type Watches = "levels" | "words" | "message" | "loss";
/** What one thing that is done is. */
export type Doing = "mark" | "banner" | "command" | "procedure" | "begin run" | "end run";

export const DOINGS: { value: Doing; text: string }[] = [
  { value: "command", text: "send a command" },
  { value: "mark", text: "mark the run" },
  { value: "banner", text: "say on every page" },
  { value: "procedure", text: "begin a procedure" },
  { value: "begin run", text: "begin a run" },
  { value: "end run", text: "end the run" },
];

export function watchesOf(part: ReactionPart): Watches {
  if (part.message) return "message";
  if (part.words.length) return "words";
  return part.below == null && part.above == null && part.not_measured_s != null ? "loss" : "levels";
}

/** How its channel can stand, as the core has it. */
export function standingsOf(part: ReactionPart): Standing[] {
  const found: Standing[] = [];
  if (part.below != null) found.push("below");
  if (part.below != null || part.above != null || part.words.length) found.push("good");
  if (part.above != null) found.push("above");
  if (part.words.length) found.push("is");
  if (part.message) found.push("message");
  if (part.not_measured_s != null) found.push("not measured");
  return found;
}

/** The same with other things it is watched for; what can never be done any more goes. */
export function watching(part: ReactionPart, change: Partial<ReactionPart>): ReactionPart {
  const next = { ...part, ...change };
  const can = standingsOf(next);
  const first = can.find((one) => one !== "good") ?? can[0];
  const kept = next.do.filter((one) => can.includes(one.when));
  return { ...next, do: kept.length || !first ? kept : [{ ...freshDoing, when: first }] };
}

/** Watched for something else, with what it begins with. */
export function watchedFor(part: ReactionPart, watches: Watches, channel: Channel | undefined): ReactionPart {
  const none = { below: null, above: null, hysteresis: 0, words: [], message: false };
  const begins = {
    levels: { ...none, above: channel?.limits.high ?? channel?.usual.at(-1) ?? 1 },
    words: { ...none, words: channel?.states.slice(0, 1) ?? [] },
    message: { ...none, message: true, hold_off_s: Math.max(part.hold_off_s, 1) },
    loss: { ...none, not_measured_s: part.not_measured_s ?? 10 },
  }[watches];
  return watching(part, begins);
}

/** Watching another channel. A reaction that was never kept takes that channel's levels; a kept one stays with its own, if they fit. */
export function watchingChannel(
  part: ReactionPart,
  next: Channel | undefined,
  before: Channel | undefined,
  kept: boolean,
): ReactionPart {
  const other = { ...part, channel: next?.id ?? "" };
  const alike = Boolean(next?.states.length) === Boolean(before?.states.length);
  if (kept && alike) return other;
  const watches = watchesOf(part);
  if (watches === "message" || watches === "loss") return other;
  return watchedFor(other, next?.states.length ? "words" : "levels", next);
}

const freshDoing: DoPart = {
  when: "above",
  mark: "reacted",
  sound: false,
  values: {},
  end_run: false,
};

export const doingOf = (one: DoPart): Doing =>
  one.mark != null
    ? "mark"
    : one.banner != null
      ? "banner"
      : one.command != null
        ? "command"
        : one.procedure != null
          ? "procedure"
          : one.begin_run != null
            ? "begin run"
            : "end run";

/** Another thing at the same standing. */
export function doing(when: Standing, what: Doing, first: FirstOf): DoPart {
  const plain: DoPart = { when, sound: false, values: {}, end_run: false };
  switch (what) {
    case "mark":
      return { ...plain, mark: "reacted" };
    case "banner":
      return { ...plain, banner: "Look at this", sound: true };
    case "command":
      return { ...plain, instrument: first.instrument, command: first.command };
    case "procedure":
      return { ...plain, procedure: first.procedure };
    case "begin run":
      return { ...plain, begin_run: "Begun by itself" };
    case "end run":
      return { ...plain, end_run: true };
  }
}

/** What there is to choose from, the first of each; "" where there is none. */
export interface FirstOf {
  instrument: string;
  command: string;
  procedure: string;
}

export function fresh(channel: Channel | undefined, taken: readonly ReactionPart[]): ReactionPart {
  const name = nameFrom(channel?.name ?? "Reaction", taken);
  const part: ReactionPart = {
    id: idFrom(name, taken),
    name,
    channel: channel?.id ?? "",
    hysteresis: 0,
    words: [],
    message: false,
    for_s: 0,
    hold_off_s: 0,
    once: false,
    do: [],
  };
  return watchedFor(part, channel?.states.length ? "words" : "levels", channel);
}

function nameFrom(base: string, taken: readonly ReactionPart[]): string {
  let name = base;
  for (let n = 2; taken.some((one) => one.name === name); n++) name = `${base} ${n}`;
  return name;
}

/** An id made from a name that no other has. */
export function idFrom(name: string, taken: readonly ReactionPart[]): string {
  const base =
    name
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, "-")
      .replace(/^-|-$/g, "")
      .slice(0, 50) || "reaction";
  let id = base;
  for (let n = 2; taken.some((one) => one.id === id); n++) id = `${base}-${n}`;
  return id;
}

/** Values of a command's arguments, as they stand at first. */
export const defaults = (command: Command | undefined): Record<string, number | string> =>
  Object.fromEntries(
    (command?.arguments ?? []).flatMap((one) => {
      const value = one.default ?? one.choices[0];
      return value == null ? [] : [[one.field, value]];
    }),
  );

const withUnit = (value: number, channel: Channel | undefined): string =>
  `${figure(value, channel?.decimals ?? 2)}${channel?.unit ? ` ${channel.unit}` : ""}`;

/** How a channel stands, in words. */
export function standingWords(part: ReactionPart, standing: string, channel: Channel | undefined): string {
  switch (standing) {
    case "below":
      return part.below == null ? "below" : `below ${withUnit(part.below, channel)}`;
    case "above":
      return part.above == null ? "above" : `above ${withUnit(part.above, channel)}`;
    case "is":
      return part.words.join(" or ");
    case "message":
      return "a message came";
    case "":
      return "not known yet";
    default:
      return standing;
  }
}

/** What it is watched for, in a line. */
export function watchWords(part: ReactionPart, channel: Channel | undefined): string {
  const can = standingsOf(part).filter((one) => one !== "good" && one !== "not measured");
  const held = part.for_s > 0 ? ` for ${String(part.for_s)} s` : "";
  const words = can.map((one) =>
    one === "message" ? "each message" : `${standingWords(part, one, channel)}${held}`,
  );
  if (part.not_measured_s != null) words.push(`not measured for ${String(part.not_measured_s)} s`);
  return `${channel?.name ?? part.channel} ${words.join(", or ")}`;
}
