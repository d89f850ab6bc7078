import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { api, got, type TapeLine } from "../api/client";
import { queries } from "../api/queries";
import { useTape } from "../live/connection";
import { useLate } from "../parts/useLate";
import { type Direction, passes } from "./lines";

const LIVE = 300;
const PAGE = 1500;
const NO_LINES: TapeLine[] = [];

export interface TapeLines {
  lines: TapeLine[];
  held: boolean;
  loading: boolean;
  trouble: string;
  hold: () => void;
  goOn: () => void;
  older: () => void;
}

/**
 * The lines to show: live, the newest that came over the socket; held, or when something is looked for, pages from the
 * recorder's memory of the last 100 000, which also has what is not shown live.
 */
export function useTapeLines(link: string, direction: Direction, find: string): TapeLines {
  const tape = useTape();
  // What was shown when it was held, until the pages are here; each holding reads again.
  const [held, setHeld] = useState<TapeLine[] | null>(null);
  const [turn, setTurn] = useState(0);
  const wanted = useLate(find, 250);
  const paged = held !== null || (find !== "" && wanted === find);
  const pages = useInfiniteQuery(
    {
      queryKey: ["tape", turn, link, direction, wanted],
      queryFn: ({ pageParam, signal }) => {
        const query = { last: PAGE, before: pageParam, link, direction, find: wanted };
        return got(api.GET("/api/live/tape", { params: { query }, signal }));
      },
      initialPageParam: 0,
      getNextPageParam: (page) => (page.length < PAGE ? undefined : page[0]?.n),
      enabled: paged,
      staleTime: Infinity,
      gcTime: 0,
      retry: false,
    },
    queries,
  );
  // What one instrument said before the page opened: the socket's memory is shared by all of them.
  const past = useQuery(
    {
      queryKey: ["tape of", link],
      queryFn: ({ signal }) =>
        got(api.GET("/api/live/tape", { params: { query: { last: LIVE, link } }, signal })),
      enabled: link !== "",
      staleTime: Infinity,
      gcTime: 0,
      retry: false,
    },
    queries,
  ).data;
  const live = useMemo(() => {
    const fresh = tape.filter((line) => passes(line, link, direction));
    const first = fresh[0]?.n ?? Infinity;
    const older = (link ? past : undefined) ?? NO_LINES;
    return [...older.filter((line) => line.n < first && passes(line, link, direction)), ...fresh].slice(
      -LIVE,
    );
  }, [tape, link, direction, past]);
  const found = useMemo(() => pages.data?.pages.toReversed().flat(), [pages.data]);
  const before = useMemo(
    () => held?.filter((line) => passes(line, link, direction)),
    [held, link, direction],
  );
  const shown = paged ? (found ?? before ?? live) : live;
  const hold = (): void => {
    setHeld(live);
    setTurn(turn + 1);
  };
  return {
    lines: shown,
    held: paged,
    loading: paged && pages.isFetching,
    trouble: paged ? (pages.error?.message ?? "") : "",
    hold,
    goOn: () => {
      setHeld(null);
      setTurn(turn + 1);
    },
    older: () => {
      if (pages.hasNextPage && !pages.isFetching) void pages.fetchNextPage();
    },
  };
}
