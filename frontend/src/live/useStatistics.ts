import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { api, got, type Schemas } from "../api/client";
import { connection } from "./connection";

/** Milliseconds after which no sample of a time comes any more. */
const YOUNG = 3_000;

export interface Stretch {
  start: number;
  end: number;
}

/** Exact statistics of a stretch in milliseconds, from the server; anew every `every` milliseconds where it moves on. */
export function useStatistics(
  stretch: () => Stretch,
  every: number | null,
): { answer: Schemas["StretchStatistics"] | undefined; error: string } {
  const [asked, setAsked] = useState(stretch);
  const query = useQuery({
    queryKey: ["statistics", asked.start, asked.end],
    queryFn: ({ signal }) =>
      got(
        api.GET("/api/statistics", {
          params: { query: { start: Math.round(asked.start * 1000), end: Math.round(asked.end * 1000) } },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
    gcTime: 5_000,
    staleTime: Infinity,
    retry: false,
  });
  // What was measured a moment before the end may still be on its way.
  const { refetch } = query;
  useEffect(() => {
    if (every !== null) return;
    const left = asked.end + YOUNG - connection.now();
    if (left <= 0) return;
    const timer = setTimeout(() => void refetch(), Math.min(left, YOUNG));
    return () => clearTimeout(timer);
  }, [asked.end, every, refetch]);
  const busy = useRef(false);
  useEffect(() => {
    busy.current = query.isFetching;
  });
  useEffect(() => {
    const look = (): void => {
      const next = stretch();
      // One at a time: a long stretch takes as long as it takes.
      if (every === null || !busy.current)
        setAsked((old) => (old.start === next.start && old.end === next.end ? old : next));
    };
    look();
    if (every === null) return;
    const timer = setInterval(look, every);
    return () => clearInterval(timer);
  }, [stretch, every]);
  return { answer: query.data, error: query.error?.message ?? "" };
}
