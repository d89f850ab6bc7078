/** Changes to the text of a procedure, as cards make them: lines, what stands within them, and the comments above them stay together. */

import { bare, type Card, cardsOf } from "./lines";

const indentOf = (row: string): number => row.length - row.trimStart().length;
const isComment = (row: string): boolean => row.trim().startsWith("#");

/** Rows from … up to, counted from 0: the step of a line with what stands within it, its “else”, and the comments right above it. */
function blockOf(rows: readonly string[], line: number): [number, number] {
  const at = line - 1;
  const indent = indentOf(rows[at] ?? "");
  const isIf = (rows[at] ?? "").trim().startsWith("if ");
  let to = at + 1;
  for (let next = to; next < rows.length; next++) {
    const words = bare(rows[next] ?? "").trim();
    if (!words) continue;
    const deep = indentOf(rows[next] ?? "");
    if (deep > indent || (isIf && deep === indent && words === "else")) to = next + 1;
    else break;
  }
  let from = at;
  while (isComment(rows[from - 1] ?? "") && indentOf(rows[from - 1] ?? "") === indent) from--;
  return [from, to];
}

/** The line says something else; its indentation and its comment stay. */
export function replaced(text: string, line: number, words: string): string {
  const rows = text.split("\n");
  const row = rows[line - 1] ?? "";
  const behind = row.slice(bare(row).length);
  rows[line - 1] = " ".repeat(indentOf(row)) + words + behind;
  return rows.join("\n");
}

/** Whether an “if” has no “else”. */
export function hasNoElse(cards: readonly Card[], line: number): boolean {
  const at = cards.findIndex((one) => one.line === line);
  const card = cards[at];
  if (card?.verb !== "if") return false;
  const next = cards.slice(at + 1).find((one) => one.depth <= card.depth);
  return !(next?.verb === "else" && next.depth === card.depth);
}

/** The step is gone, with what stands within it. */
export function removed(text: string, line: number): string {
  const rows = text.split("\n");
  const [from, to] = blockOf(rows, line);
  rows.splice(from, to - from);
  return rows.join("\n");
}

/** The step before or behind it in the same block; none where it is the first, or the last. */
export function neighbour(cards: readonly Card[], line: number, by: -1 | 1): Card | undefined {
  const at = cards.findIndex((one) => one.line === line);
  const card = cards[at];
  if (!card || card.verb === "else") return undefined; // it stays below its “if”
  for (let next = at + by; next >= 0 && next < cards.length; next += by) {
    const other = cards[next];
    if (!other || other.depth < card.depth || other.always !== card.always) return undefined;
    if (other.depth === card.depth && other.verb !== "else") return other;
  }
  return undefined;
}

/** The step stands one place further up or down in its block; the text stays as it is where there is none. */
export function moved(text: string, line: number, by: -1 | 1): string {
  const other = neighbour(cardsOf(text), line, by);
  if (!other) return text;
  const rows = text.split("\n");
  const mine = blockOf(rows, line);
  const its = blockOf(rows, other.line);
  const [first, second] = by < 0 ? [its, mine] : [mine, its];
  return [
    ...rows.slice(0, first[0]),
    ...rows.slice(second[0], second[1]),
    ...rows.slice(first[1], second[0]),
    ...rows.slice(first[0], first[1]),
    ...rows.slice(second[1]),
  ].join("\n");
}

/** Where a new step comes: below the step of a line, as the first within it, as the first of its “else” that is not there
 *  yet, or at the end of all steps, or of what is always done. */
export type Place = { below: number } | { within: number } | { otherwise: number } | "steps" | "always";

/** A new step. */
export function added(text: string, place: Place, words: string): string {
  const rows = text.split("\n");
  const put = (at: number, indent: number): string => {
    rows.splice(at, 0, " ".repeat(indent) + words);
    return rows.join("\n");
  };
  if (typeof place === "object") {
    const [line = 0] = Object.values(place);
    const indent = indentOf(rows[line - 1] ?? "");
    if ("otherwise" in place) {
      rows.splice(blockOf(rows, line)[1], 0, `${" ".repeat(indent)}else`, " ".repeat(indent + 2) + words);
      return rows.join("\n");
    }
    if ("within" in place) {
      const child = cardsOf(text).find((one) => one.line > line);
      const deep = child ? indentOf(rows[child.line - 1] ?? "") : 0;
      return put(line, deep > indent ? deep : indent + 2);
    }
    return put(blockOf(rows, line)[1], indent);
  }
  const always = place === "always";
  const last = cardsOf(text)
    .filter((one) => one.always === always && one.depth === 0)
    .pop();
  if (last) return put(blockOf(rows, last.line)[1], indentOf(rows[last.line - 1] ?? ""));
  const head = rows.findIndex((row) => (always ? bare(row) === "always" : row.startsWith("procedure ")));
  if (head >= 0) return put(head + 1, 2);
  if (!always) return put(rows.length, 2);
  while (rows.length > 0 && !rows[rows.length - 1]?.trim()) rows.pop();
  return [...rows, "always", `  ${words}`, ""].join("\n");
}
