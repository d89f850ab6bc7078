/** Numbers and times as the interface writes them. */

import { benchNow, offsetAt } from "./zone";

const two = (n: number): string => String(n).padStart(2, "0");

/** A time whose UTC parts are the bench's local ones. */
const local = (ms: number): Date => new Date(ms + offsetAt(ms));

/** 14:03:12, the bench's local time, of milliseconds since 1970. */
export function clock(ms: number): string {
  const t = local(ms);
  return `${two(t.getUTCHours())}:${two(t.getUTCMinutes())}:${two(t.getUTCSeconds())}`;
}

/** 14:03:12.345. */
export function clockMilli(ms: number): string {
  return `${clock(ms)}.${String(Math.floor(ms) % 1000).padStart(3, "0")}`;
}

/** 2026-11-23, the bench's local time. */
export function day(ms: number): string {
  const t = local(ms);
  return `${t.getUTCFullYear()}-${two(t.getUTCMonth() + 1)}-${two(t.getUTCDate())}`;
}

/** The clock, with the date when it is not today's. */
export function moment(ms: number, now: number = benchNow()): string {
  return day(ms) === day(now) ? clock(ms) : `${day(ms)} ${clock(ms).slice(0, 5)}`;
}

/** The clock to the second or finer, with the date in front when it is not today's. */
export function dated(ms: number, words: string = clock(ms)): string {
  return day(ms) === day(benchNow()) ? words : `${day(ms)} ${words}`;
}

/** 00:14:32, with days in front once there are some: 3 d 00:14:32. */
export function elapsed(ms: number): string {
  const s = Math.max(0, Math.floor(ms / 1000));
  const days = Math.floor(s / 86400);
  const rest = `${two(Math.floor(s / 3600) % 24)}:${two(Math.floor(s / 60) % 60)}:${two(s % 60)}`;
  return days ? `${days} d ${rest}` : rest;
}

/** 8 min 03 s, 2 h 05 min, 3 d 4 h: a length in words. */
export function length(ms: number): string {
  const s = Math.round(ms / 1000);
  if (s < 60) return `${s} s`;
  if (s < 3600) return `${Math.floor(s / 60)} min ${two(s % 60)} s`;
  if (s < 86400) return `${Math.floor(s / 3600)} h ${two(Math.floor(s / 60) % 60)} min`;
  return `${Math.floor(s / 86400)} d ${Math.floor(s / 3600) % 24} h`;
}

/** A value with fixed decimals and a real minus sign; what is rounded to nothing has none. */
export function figure(value: number, decimals: number): string {
  const text = value.toFixed(decimals);
  return Number(text) === 0 ? text.replace("-", "") : text.replace("-", "−");
}

/** A channel's value as it is shown: the word of a state, or a figure. A value without a word stays a number. */
export function valueWords(
  value: number,
  channel: { decimals: number; states?: string[] | undefined },
): string {
  return channel.states?.length
    ? (channel.states[value] ?? figure(value, Number.isInteger(value) ? 0 : 2))
    : figure(value, channel.decimals);
}

/** 4 361: thousands apart. */
export function count(n: number): string {
  return String(n).replace(/\B(?=(\d{3})+$)/g, " ");
}

/** A file's size, in decimal units. */
export function bytes(n: number): string {
  const [size, unit] = n < 1e6 ? [1e3, "kB"] : n < 1e9 ? [1e6, "MB"] : [1e9, "GB"];
  return `${Number((n / size).toPrecision(3))} ${unit}`;
}

/** Hours as a person says them: 6 h, 12 days. */
export function hours(h: number): string {
  if (h < 1) return "less than an hour";
  return h < 72 ? `${Math.floor(h)} h` : `${Math.floor(h / 24)} days`;
}

/** What stands in place of a value that is none, in previews. */
export const qualityCodes = new Set([
  "no-reading",
  "over",
  "under",
  "not-understood",
  "bad-check",
  "no-reply",
]);

/** The words of a quality (the number in a sample's record), "" for ok. */
export function qualityWords(quality: number): string {
  return (
    [
      "",
      "flagged",
      "no reading",
      "over range",
      "under range",
      "not understood",
      "bad checksum",
      "no reply",
      "link lost",
    ][quality] ?? "unknown"
  );
}

const SPANS: readonly (readonly [number, string])[] = [
  [86_400, "d"],
  [3600, "h"],
  [60, "min"],
];

/** Seconds in their largest whole unit: 90 s, 10 min, 2 h. */
export function span(seconds: number): string {
  for (const [size, unit] of SPANS)
    if (seconds >= size && seconds % size === 0) return `${seconds / size} ${unit}`;
  return `${seconds} s`;
}
