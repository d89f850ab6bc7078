/** Curves: which are drawn, and what is known of them. */

import { useQueries, useQuery } from "@tanstack/react-query";
import { api, got, type Schemas } from "../api/client";
import { dated } from "../look/format";
import { alike, useLive } from "../live/connection";
import { drawable } from "./scale";

export type Curve = Schemas["Curve"];
export type CurveStatus = Schemas["CurveStatus"];
export type CurveRows = Schemas["CurveRows"];
export type CurveColumn = Schemas["CurveColumn"];
export type Answered = Schemas["Answered"];
export type Question = Answered["question"];

/** Which curve: of a run, or one that the recorder remembers. */
export interface Ref {
  run: string | null;
  number: number;
}

export const keyOf = ({ run, number }: Ref): string => (run ? `${run}.${number}` : `now.${number}`);

/** The curves that an address names. */
export function refsOf(words: string | null): Ref[] {
  const found = new Map<string, Ref>();
  for (const one of (words ?? "").split(",")) {
    const [run = "", number = ""] = one.split(".");
    if (/^[0-9]+$/.test(number) && (run === "now" || /^[0-9a-f-]{36}$/.test(run)))
      found.set(one, { run: run === "now" ? null : run, number: Number(number) });
  }
  return [...found.values()].slice(0, MOST_DRAWN);
}

export const MOST_DRAWN = 8;

/** What it is called among others: of a run by its test item, else by its time. */
export function titleOf(about: Pick<Curve, "name" | "begun_at">, item: string, runName: string): string {
  return [about.name, item || runName || dated(about.begun_at / 1000)].filter(Boolean).join(", ");
}

export interface Drawn {
  ref: Ref;
  key: string;
  title: string;
  found: CurveRows;
}

/** The curves with their rows; `trouble`: what could not be had. */
export function useDrawn(refs: readonly Ref[]): { drawn: Drawn[]; trouble: string; waiting: boolean } {
  const rows = useLive(
    ({ status }) =>
      Object.fromEntries((status?.curves ?? []).map((one) => [one.number, `${one.rows} ${one.words}`])),
    alike,
  );
  const asked = useQueries({
    queries: refs.map((ref) => ({
      queryKey: ["curve", keyOf(ref), ref.run ? "" : (rows[ref.number] ?? "")],
      queryFn: () =>
        ref.run
          ? got(
              api.GET("/api/runs/{key}/curves/{number}", {
                params: { path: { key: ref.run, number: ref.number } },
              }),
            )
          : got(api.GET("/api/curves/remembered/{number}", { params: { path: { number: ref.number } } })),
      placeholderData: (old: CurveRows | undefined) => old,
      staleTime: Infinity,
    })),
  });
  const drawn = asked.flatMap(({ data }, n) => {
    const ref = refs[n];
    return data && ref
      ? [{ ref, key: keyOf(ref), title: titleOf(data.about, data.item, data.run_name), found: data }]
      : [];
  });
  const titles = drawn.map(({ title }) => title);
  return {
    // Two of the same second are told apart by their numbers.
    drawn: drawn.map((one) =>
      titles.filter((title) => title === one.title).length > 1
        ? { ...one, title: `${one.title} (${one.ref.number})` }
        : one,
    ),
    trouble: asked.map(({ error }) => error?.message ?? "").find(Boolean) ?? "",
    waiting: asked.some(({ isPending }) => isPending),
  };
}

/** The curves of all runs, the newest first. */
export const useKeptCurves = () =>
  useQuery({ queryKey: ["curves"], queryFn: () => got(api.GET("/api/curves")), refetchInterval: 5000 });

/** Values of a column that cannot be drawn over a logarithmic axis, in words; "" where there are none. */
export function leftOut(found: CurveRows, logarithmic: boolean, column = 0): string {
  if (!logarithmic) return "";
  const count = (found.values[column] ?? []).filter((one) => one != null && !drawable(one, true)).length;
  return count
    ? `${count === 1 ? "1 row" : `${count} rows`} at or below zero cannot be drawn over a logarithmic axis`
    : "";
}

/** What stands at a place over the axis: the nearest row that was measured, of one column. */
export function at(
  found: CurveRows,
  quantity: number,
  x: number,
  logarithmic: boolean,
): { x: number; y: number } | null {
  const [xs = [], ys = []] = [found.values[0], found.values[quantity]];
  const far = (one: number): number => (logarithmic ? Math.abs(Math.log(one / x)) : Math.abs(one - x));
  let best: { x: number; y: number } | null = null;
  for (let n = 0; n < xs.length; n++) {
    const [one, y] = [xs[n], ys[n]];
    if (drawable(one, logarithmic) && y != null && (best === null || far(one) < far(best.x)))
      best = { x: one, y };
  }
  return best;
}

/** The pieces of a line that can be drawn, in pixels; more rows than pixels are thinned out to lowest and highest. */
export function pieces(
  xs: readonly (number | null)[],
  ys: readonly (number | null)[],
  px: (value: number) => number,
  py: (value: number) => number,
  logarithmic: readonly [boolean, boolean],
): [number, number][][] {
  const found: [number, number][][] = [];
  let piece: [number, number][] = [];
  const close = (): void => {
    if (piece.length) found.push(piece);
    piece = [];
  };
  const many = xs.length > 6000;
  let column: { at: number; low: number; high: number; first: number; last: number } | null = null;
  const flush = (): void => {
    if (!column) return;
    const { at: place, first, low, high, last } = column;
    for (const y of first === last && low === high ? [first] : [first, low, high, last])
      piece.push([place, y]);
    column = null;
  };
  for (let n = 0; n < xs.length; n++) {
    const [x, y] = [xs[n], ys[n]];
    if (!drawable(x, logarithmic[0]) || !drawable(y, logarithmic[1])) {
      flush();
      close();
      continue;
    }
    const [across, up] = [px(x), py(y)];
    if (!many) {
      piece.push([across, up]);
      continue;
    }
    const place = Math.round(across);
    if (column === null || column.at !== place) {
      flush();
      column = { at: place, low: up, high: up, first: up, last: up };
    } else {
      column.low = Math.min(column.low, up);
      column.high = Math.max(column.high, up);
      column.last = up;
    }
  }
  flush();
  close();
  return found;
}
