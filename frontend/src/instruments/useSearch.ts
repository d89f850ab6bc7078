import { useCallback, useEffect, useRef, useState } from "react";
import { api, got, said, type Search, type StartSearch } from "../api/client";

export interface Searching {
  search: Search | null;
  trouble: string;
  start: (request: Partial<StartSearch> & Pick<StartSearch, "search" | "ports">) => void;
  stop: () => Promise<void>;
}

const LOOK_EVERY = 250;

/** A search on ports: started, looked at while it goes on, and stopped when the page goes away. */
export function useSearch(): Searching {
  const [search, setSearch] = useState<Search | null>(null);
  const [trouble, setTrouble] = useState("");
  const id = useRef<number | null>(null);

  const stop = useCallback(async (): Promise<void> => {
    const number = id.current;
    id.current = null;
    if (number === null) return;
    try {
      setSearch(await got(api.DELETE("/api/searches/{number}", { params: { path: { number } } })));
    } catch {
      // It ends by itself; its ports are free then.
    }
  }, []);
  useEffect(() => () => void stop(), [stop]);

  const running = search !== null && !search.done;
  const number = search?.id;
  useEffect(() => {
    if (!running || number === undefined) return;
    const timer = setInterval(() => {
      api
        .GET("/api/searches/{number}", { params: { path: { number } } })
        .then(({ data }) => {
          if (!data || (id.current !== number && !data.done)) return;
          if (data.done) id.current = null;
          setSearch(data);
        })
        .catch(() => undefined);
    }, LOOK_EVERY);
    return () => clearInterval(timer);
  }, [running, number]);

  const start: Searching["start"] = (request) => {
    setTrouble("");
    const whole = {
      kind: "start search" as const, query: "", baud: 9600, data_bits: 8 as const, parity: "none" as const,
      stop_bits: 1 as const, first: 1, last: 32, ...request,
    }; // prettier-ignore
    void stop()
      .then(() => got(api.POST("/api/searches", { body: whole })))
      .then((found) => {
        id.current = found.id;
        setSearch(found);
      })
      .catch((error: unknown) => setTrouble(said(error)));
  };
  return { search, trouble, start, stop };
}
