import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useReducer } from "react";
import { api, got, type RunDetail, type Schemas } from "../api/client";
import type { Cursor } from "../bench/cursor";
import type { LaneView } from "../bench/lanes";

export interface Selection {
  /** In milliseconds: between both cursors, or what is shown. */
  start: number;
  end: number;
  of: "between the cursors" | "of what is shown" | "of the whole run";
  /** Exact, by channel number. */
  statistics: ReadonlyMap<number, Schemas["Statistics"]>;
  /** Whether they are those of this stretch. */
  settled: boolean;
  trouble: string;
}

/** The stretch of a run that numbers and questions are of, and its statistics. */
export function useSelection(
  run: RunDetail,
  cursor: Cursor,
  { start: first, end: last }: LaneView,
  zoomed: boolean,
): Selection {
  const [, again] = useReducer((n: number) => n + 1, 0);
  useEffect(() => cursor.subscribe(again), [cursor]);
  const { at, from } = cursor;
  const between = at !== null && from !== null;
  const start = between ? Math.min(at, from) : first;
  const end = between ? Math.max(at, from) : last;
  const part = between || zoomed;
  const query = useQuery({
    queryKey: ["statistics of", run.id, start, end],
    queryFn: ({ signal }) =>
      got(
        api.GET("/api/runs/{key}/statistics", {
          params: {
            path: { key: run.id },
            query: { start: Math.round(start * 1000), end: Math.round(end * 1000) },
          },
          signal,
        }),
      ),
    enabled: part,
    placeholderData: keepPreviousData,
    gcTime: 5_000,
    staleTime: Infinity,
    retry: false,
  });
  const statistics = new Map(
    part
      ? query.data?.channels.map((one) => [one.number, one.statistics])
      : run.numbers.map((one) => [one.number, one.statistics]),
  );
  return {
    start,
    end,
    of: between ? "between the cursors" : zoomed ? "of what is shown" : "of the whole run",
    statistics,
    settled: !part || (!query.isPlaceholderData && !query.isPending),
    trouble: part ? (query.error?.message ?? "") : "",
  };
}
