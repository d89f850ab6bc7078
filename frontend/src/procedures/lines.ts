/** The text of a procedure as cards: what each line is, and how deep it stands. */

import type { ProcedureStatus } from "../api/client";

export interface Card {
  /** Counted from 1. */
  line: number;
  depth: number;
  /** The step: "set", "wait until" … */
  verb: string;
  rest: string;
  /** Whether it is done whatever happens. */
  always: boolean;
}

const VERBS =
  /^(wait until|wait|take point|read|draw|capture|zero|begin run|end run|carry out|set|send|ask|mark|say|let|if|else|for|repeat|procedure|always)\b\s*/;

/** A line up to its comment: a # within quotes is none. */
export function bare(row: string): string {
  let quoted = false;
  for (let at = 0; at < row.length; at++) {
    if (row[at] === '"') quoted = !quoted;
    if (row[at] === "#" && !quoted) return row.slice(0, at).trimEnd();
  }
  return row.trimEnd();
}

/** The steps of a text, in their order; the first line and “always” itself are none. */
export function cardsOf(text: string): Card[] {
  const cards: Card[] = [];
  const indents: number[] = [];
  let always = false;
  text.split("\n").forEach((row, index) => {
    const words = bare(row).trim();
    if (!words) return;
    if (words === "always") {
      always = true;
      indents.length = 0;
      return;
    }
    const verb = VERBS.exec(words)?.[1] ?? "";
    if (verb === "procedure") return;
    const indent = row.length - row.trimStart().length;
    while (indents.length && (indents[indents.length - 1] ?? 0) >= indent) indents.pop();
    cards.push({
      line: index + 1,
      depth: indents.length,
      verb,
      rest: words.slice(verb.length).trim(),
      always,
    });
    indents.push(indent);
  });
  return cards;
}

/** What was said last of each line, by its number. */
export function newestByLine(log: ProcedureStatus["log"]): Map<number, ProcedureStatus["log"][number]> {
  return new Map(log.filter((one) => one.line > 0).map((one) => [one.line, one]));
}

/** Seconds as a person says them. */
export function lasting(seconds: number): string {
  if (seconds < 90) return `${Math.round(seconds)} s`;
  if (seconds < 5400) return `${Math.round(seconds / 60)} min`;
  return `${(seconds / 3600).toFixed(1)} h`;
}

/** How long it takes, answers left out. */
export function durationWords(least: number, most: number): string {
  if (most < 1) return "It takes no time but that of the answers.";
  if (most - least < 1) return `It takes ${lasting(most)} and the time of the answers.`;
  return `It takes ${lasting(least)} to ${lasting(most)} and the time of the answers.`;
}
