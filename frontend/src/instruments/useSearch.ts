import { useQuery } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";
import { api, got, type Search, type StartSearch } from "../api/client";
import { queries } from "../api/queries";
import { useAct } from "../api/useAct";

export interface Searching {
  search: Search | null;
  trouble: string;
  start: (request: Partial<StartSearch> & Pick<StartSearch, "search" | "ports">) => void;
  stop: () => Promise<void>;
}

const LOOK_EVERY = 250;
const keyOf = (number: number | null): [string, number | null] => ["search", number];

/** A search on ports: started, looked at while it goes on, and stopped when the page goes away. */
export function useSearch(): Searching {
  const [number, setNumber] = useState<number | null>(null);
  const going = useRef<number | null>(null);
  const { run, trouble } = useAct();
  const asked = useQuery<Search>(
    {
      queryKey: keyOf(number),
      queryFn: ({ signal }) =>
        got(api.GET("/api/searches/{number}", { params: { path: { number: number ?? 0 } }, signal })),
      enabled: ({ state }) => number !== null && !state.data?.done,
      refetchInterval: LOOK_EVERY,
      retry: false,
    },
    queries,
  );
  const search = asked.data ?? null;
  useEffect(() => {
    if (search?.done) going.current = null;
  }, [search?.done]);

  const stop = useCallback(async (): Promise<void> => {
    const number = going.current;
    going.current = null;
    if (number === null) return;
    await queries.cancelQueries({ queryKey: keyOf(number) });
    try {
      const last = await got(api.DELETE("/api/searches/{number}", { params: { path: { number } } }));
      queries.setQueryData(keyOf(number), last);
    } catch {
      // It ends by itself; its ports are free then.
    }
  }, []);
  useEffect(() => () => void stop(), [stop]);

  const start: Searching["start"] = (request) => {
    const body = {
      kind: "start search" as const, query: "", baud: 9600, data_bits: 8 as const, parity: "none" as const,
      stop_bits: 1 as const, first: 1, last: 32, ...request,
    }; // prettier-ignore
    run(async () => {
      await stop();
      const found = await got(api.POST("/api/searches", { body }));
      going.current = found.id;
      queries.setQueryData(keyOf(found.id), found);
      setNumber(found.id);
    });
  };
  return { search, trouble, start, stop };
}
