/** What the tape view makes of lines, apart from drawing them. */

import type { TapeLine } from "../api/client";
import { clockMilli } from "../look/format";

export type TimeAs = "clock" | "elapsed" | "gap";
export type Direction = "" | "in" | "out" | "events";
export type Show = "text" | "hex" | "both";

export const isWire = (line: TapeLine): boolean => line.kind === "in" || line.kind === "out";
export const isBad = (line: TapeLine): boolean =>
  line.kind === "gave-up" || line.kind === "lost" || line.kind === "missed";

/** The same filter that the recorder applies, for lines that are here already. */
export function passes(line: TapeLine, link: string, direction: Direction): boolean {
  if (link && line.link && line.link !== link) return false;
  if (!direction) return true;
  return direction === (isWire(line) ? line.kind : "events");
}

/** The time in front of a line: the clock, since the first line shown, or since the line before. */
export function timeOf(
  line: TapeLine,
  as: TimeAs,
  first: TapeLine | undefined,
  before: TapeLine | undefined,
): string {
  if (as === "clock") return clockMilli(line.at / 1000);
  const seconds = (line.at - (as === "elapsed" ? (first ?? line) : (before ?? line)).at) / 1e6;
  return `${seconds < 0 ? "−" : "+"}${Math.abs(seconds).toFixed(3)}`.padStart(as === "gap" ? 8 : 10, " ");
}

const TOGETHER = 250_000;
const LONGEST = 400;

/**
 * A slow line brings a message in pieces. For the eye they are put together again: what came on one link without a
 * line end, or anything else on it, between, and within a quarter of a second.
 */
export function joined(lines: TapeLine[]): TapeLine[] {
  const out: TapeLine[] = [];
  const open = new Map<string, number>();
  const last = new Map<string, number>();
  for (const line of lines) {
    const index = open.get(line.link);
    const before = index === undefined ? undefined : out[index];
    const goesOn =
      line.kind === "in" &&
      before !== undefined &&
      index !== undefined &&
      line.at - (last.get(line.link) ?? 0) < TOGETHER &&
      before.text.length < LONGEST &&
      (!/[\r\n]$/.test(before.text) || (before.text.endsWith("\r") && line.text === "\n"));
    if (goesOn) out[index] = { ...before, text: before.text + line.text };
    else {
      out.push(line);
      if (line.kind === "in") open.set(line.link, out.length - 1);
      else open.delete(line.link);
    }
    if (line.kind === "in") last.set(line.link, line.at);
  }
  return out;
}

/** Of each line, whether it answers a command that a person gave: until something else is sent. */
export function answers(lines: TapeLine[]): boolean[] {
  const commanded = new Set<string>();
  return lines.map((line) => {
    if (line.kind === "out") {
      if (line.why?.startsWith("command/")) commanded.add(line.link);
      else commanded.delete(line.link);
      return false;
    }
    return line.kind === "in" && commanded.has(line.link);
  });
}

/** Why something was sent, for people; empty for polls. */
export function whySent(line: TapeLine): string {
  const [, what, number] = (line.why ?? "").split("/");
  if (line.why?.startsWith("command/")) return "typed";
  if (what === "identity" && !number) return "identity query";
  if (what === "start" && number) return `start command ${number}`;
  if (what === "release" && number) return `release command ${number}`;
  if (number === "trigger") return "trigger";
  return "";
}
