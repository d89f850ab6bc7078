import type { Channel, Schemas } from "../api/client";
import { figure, span } from "../look/format";

export type Point = Schemas["Point"];
export type Points = Schemas["RunPoints"];
export type Quantity = Schemas["Quantity"];
export type Rule = Schemas["PointRule"];
export type PointChannel = Schemas["PointChannel"];

export const noPoints: Points = { rule: null, points: [], earlier: [] };

/** What a quantity is called in a head: name and unit. */
export const labelOf = (one: { name: string; unit?: string | undefined }): string =>
  one.unit ? `${one.name}, ${one.unit}` : one.name;

/** A figure of several points: its name, and its value in a point; null where that has none. */
export interface Series {
  key: string;
  label: string;
  of: (point: Point) => number | null;
  /** Its expanded uncertainty; null where none is stated. */
  certain: (point: Point) => number | null;
  decimals: number | null;
}

const unique = (labels: string[]): string[] => [...new Set(labels)];

/** Everything that the points have numbers of: what was given first, then what was measured. */
export function seriesOf(points: readonly Point[]): Series[] {
  const given = (kind: "sets" | "typed"): Series[] =>
    unique(points.flatMap((point) => (point[kind] ?? []).map(labelOf))).map((label) => ({
      key: `${kind}:${label}`,
      label,
      of: (point) => point[kind]?.find((one) => labelOf(one) === label)?.value ?? null,
      certain: () => null,
      decimals: null,
    }));
  const means = new Map(points.flatMap((point) => (point.means ?? []).map((one) => [one.id, one] as const)));
  const measured = [...means.values()].map((mean) => ({
    key: mean.id,
    label: labelOf(mean),
    of: (point: Point) => point.means?.find((one) => one.id === mean.id)?.mean ?? null,
    certain: (point: Point) => point.means?.find((one) => one.id === mean.id)?.expanded ?? null,
    decimals: mean.decimals + 1,
  }));
  return [...given("sets"), ...given("typed"), ...measured];
}

/** A value of a series, as it is written. */
export const valueOf = (series: Series, value: number | null): string => {
  if (value === null) return "–";
  return series.decimals === null ? String(value).replace("-", "−") : figure(value, series.decimals);
};

/** The points of a curve: those that count and have both values, in the order of the first. */
export function curveOf(
  points: readonly Point[],
  x: Series,
  y: Series,
): { x: number; y: number; point: Point }[] {
  return points
    .filter((point) => !point.void)
    .flatMap((point) => {
      const [a, b] = [x.of(point), y.of(point)];
      return a === null || b === null ? [] : [{ x: a, y: b, point }];
    })
    .sort((one, other) => one.x - other.x);
}

/** A rule to begin with: all channels that have a mean; those with a band of their own are waited for. */
export function ruleOf(channels: readonly Channel[]): Rule {
  const parts = channels
    .filter((one) => !one.clock && !one.states?.length)
    .map((one): [string, PointChannel] => [one.id, { band: one.limits.settled_band ?? null }]);
  return { channels: Object.fromEntries(parts), steady_s: 10, average_s: 10, give_up_s: 300 };
}

/** A rule without channels that are not on the bench, or have no mean; one to begin with where none is left. */
export function known(rule: Rule | null, channels: readonly Channel[]): Rule {
  const able = new Set(channels.filter((one) => !one.clock && !one.states?.length).map((one) => one.id));
  const kept = Object.entries(rule?.channels ?? {}).filter(([id]) => able.has(id));
  return rule && kept.length ? { ...rule, channels: Object.fromEntries(kept) } : ruleOf(channels);
}

/** What a point waits for, in one line; `name`: what a channel is called. */
export function pointWords(rule: Rule, name: (channel: string) => string): string {
  const waits = Object.keys(rule.channels).filter((id) => rule.channels[id]?.band != null);
  return waits.length
    ? `${waits.map(name).join(", ")}: steady for ${span(rule.steady_s ?? 10)}`
    : "nothing: it averages at once";
}

const LAST = "tidybench-last-point";

/** How the last point was taken from this browser. */
export interface Order {
  rule: Rule | null;
  sets: Quantity[];
  typed: Quantity[];
}

/** The last order, without what was read by eye. */
export function lastOrder(): Order {
  try {
    return { rule: null, sets: [], typed: [], ...(JSON.parse(localStorage.getItem(LAST) ?? "{}") as object) };
  } catch {
    return { rule: null, sets: [], typed: [] };
  }
}

export const keepOrder = (order: Order): void => localStorage.setItem(LAST, JSON.stringify(order));

/** What a point came to, in a word or a sentence. */
export function outcome(point: Point): string {
  if (point.void) return "taken out";
  if (point.gave_up) return `given up: ${point.gave_up}`;
  const known =
    point.verdict === "beyond" ? "out of tolerance" : point.verdict === "within" ? "within" : point.verdict;
  return [known, !point.steady && "not waited for"].filter(Boolean).join(", ") || "taken";
}
