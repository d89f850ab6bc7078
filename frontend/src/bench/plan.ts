import { api, got, type Schemas } from "../api/client";
import { span } from "../look/format";

export type Plan = Required<Schemas["RunPlan"]>;
export type RowRule = Schemas["RowRule"];
export type Begins = Schemas["Begins"];
export type Ends = Schemas["Ends"];
export type Condition = Schemas["Condition"];

export const noBegins: Begins = { before_s: 0 };
export const noEnds: Ends = { when: [] };
export const fastestRows: RowRule = {
  kind: "steady rows",
  every_s: 0,
  age_s: 0,
  values: ["latest"],
  daily: false,
  file_mb: 0,
};
export const blank: Plan = {
  name: "", item: "", operator: "", order: "", notes: "", fields: {}, channels: [], row_rule: fastestRows,
  begins: noBegins, ends: noEnds,  carry_on: false, points: null, calibrates: null, copy_to: "",
}; // prettier-ignore

const LAST = "tidybench-last-run";
const OPERATORS = "tidybench-operators";
const REMEMBERED = 12;

/** What this browser's last run was planned to be. Before there were plans its row rule was a word. */
export function remembered(): Plan {
  try {
    const kept = JSON.parse(localStorage.getItem(LAST) ?? "{}") as Partial<Plan> & { row_rule?: unknown };
    const rule = kept.row_rule;
    const row_rule =
      typeof rule === "string"
        ? { ...fastestRows, kind: rule as RowRule["kind"] }
        : { ...fastestRows, ...(rule as object) };
    return { ...blank, ...kept, row_rule: row_rule as RowRule };
  } catch {
    return blank;
  }
}

/** Remember what a run was planned to be, so that the next one begins with it, and who has operated one. The next one begins when a
 * person says so, unless it is told otherwise again. */
export function remember(plan: Plan): void {
  const begins = { ...noBegins, before_s: plan.begins.before_s ?? 0 };
  localStorage.setItem(LAST, JSON.stringify({ ...plan, begins }));
  const others = operators().filter((one) => one !== plan.operator);
  localStorage.setItem(OPERATORS, [plan.operator, ...others].filter(Boolean).slice(0, REMEMBERED).join("\n"));
}

/** Who has operated a run at this browser, the last one first. */
export const operators = (): string[] => (localStorage.getItem(OPERATORS) ?? "").split("\n").filter(Boolean);

/** Begin with the plan of this run the next time, for another test item. */
export async function repeat(run: string): Promise<void> {
  const plan = await got(api.GET("/api/runs/{key}/plan", { params: { path: { key: run } } }));
  remember({ ...blank, ...plan, item: "" });
}

/** What is still to be given for beginning and ends, as a sentence; "" for nothing. */
export function lackingIn(ends: Ends, begins: Begins = noBegins): string {
  if (begins.when && noLevel(begins.when)) return "Begins: give the level at which the run is to begin.";
  return ends.when.some(noLevel) ? "Ends: give the level at which the run is to end." : "";
}

const noLevel = (one: Condition): boolean => one.side !== "beyond its limits" && one.value == null;

/** What a run waits for. */
export function waitsFor(begins: Begins): "person" | "at" | "when" | "reading" {
  if (begins.at != null) return "at";
  if (begins.when != null) return "when";
  return begins.reading != null ? "reading" : "person";
}

/** What begins a run in one line; `name`: what a channel is called. */
export function beginWords(begins: Begins, name: (channel: string) => string): string {
  const before = begins.before_s ? `, with the ${span(begins.before_s)} before` : "";
  if (begins.at != null) return `at ${begins.at}${before}`;
  if (begins.when) return `${conditionWords(begins.when, name)}${before}`;
  if (begins.reading != null) return `with the next reading of ${name(begins.reading)}${before}`;
  return `when you press${before}`;
}

/** A row rule in one line. */
export function rowWords(rule: RowRule): string {
  if (rule.kind === "each reading") return `one for each reading${fileWords(rule)}`;
  const every = rule.every_s ? `every ${span(rule.every_s)}` : "at the fastest interval";
  const values = rule.values.join() === "latest" ? "" : `: ${rule.values.join(", ")}`;
  return `${every}${values}${fileWords(rule)}`;
}

function fileWords(rule: RowRule): string {
  const daily = rule.daily ? "; a file for each day" : "";
  return daily + (rule.file_mb ? `; files of at most ${rule.file_mb} MB` : "");
}

/** What ends a run in one line; `name`: what a channel is called. */
export function endWords(ends: Ends, name: (channel: string) => string): string {
  const parts: string[] = [];
  if (ends.after_s != null) parts.push(`after ${span(ends.after_s)}`);
  if (ends.rows != null) parts.push(`after ${ends.rows} rows`);
  if (ends.at != null) parts.push(`at ${ends.at}`);
  for (const one of ends.when) parts.push(conditionWords(one, name));
  if (ends.settled) {
    const names = Object.keys(ends.settled.bands).map(name).join(", ");
    parts.push(`when settled for ${span(ends.settled.for_s)} (${names})`);
  }
  return parts.join(", or ") || "when a person ends it";
}

function conditionWords(one: Condition, name: (channel: string) => string): string {
  const level = one.side === "beyond its limits" ? "" : ` ${one.value ?? "…"}`;
  return `when ${name(one.channel)} is ${one.side}${level}${one.for_s ? ` for ${span(one.for_s)}` : ""}`;
}

/** A table without one of its keys. */
export const without = <T>(table: Record<string, T>, key: string): Record<string, T> =>
  Object.fromEntries(Object.entries(table).filter(([one]) => one !== key));
