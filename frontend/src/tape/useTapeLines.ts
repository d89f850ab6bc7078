import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { api, got, said, type TapeLine } from "../api/client";
import { useTape } from "../live/connection";
import { type Direction, passes } from "./lines";

const LIVE = 300;
const PAGE = 1500;

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
 * recorder's memory of the last 100 000, which has also what was left out for the eye.
 */
export function useTapeLines(link: string, direction: Direction, find: string): TapeLines {
  const tape = useTape();
  const [pages, setPages] = useState<TapeLine[] | null>(null);
  const [loading, setLoading] = useState(false);
  const [trouble, setTrouble] = useState("");
  const atEnd = useRef(false);
  const turn = useRef(0);

  const load = useCallback(
    async (before: number): Promise<void> => {
      const mine = ++turn.current;
      setLoading(true);
      try {
        const query = { last: PAGE, before, link, direction, find };
        const more = await got(api.GET("/api/live/tape", { params: { query } }));
        if (mine !== turn.current) return;
        atEnd.current = more.length < PAGE;
        setPages((old) => (before && old ? [...more, ...old] : more));
        setTrouble("");
      } catch (error) {
        if (mine === turn.current) setTrouble(said(error));
      } finally {
        if (mine === turn.current) setLoading(false);
      }
    },
    [link, direction, find],
  );

  const held = pages !== null;
  const filters = `${link} ${direction} ${find}`;
  const before = useRef(filters);
  useEffect(() => {
    if (before.current === filters) return;
    before.current = filters;
    if (!held && !find) return;
    // While a text is being typed, the last word counts.
    const timer = setTimeout(() => void load(0), 250);
    return () => clearTimeout(timer);
  }, [filters, held, find, load]);

  // What one instrument said before the page opened: the socket's memory is shared by all of them.
  const [past, setPast] = useState<{ link: string; lines: TapeLine[] }>({ link: "", lines: [] });
  useEffect(() => {
    if (!link) return;
    let gone = false;
    api
      .GET("/api/live/tape", { params: { query: { last: LIVE, link } } })
      .then(({ data }) => {
        if (!gone && data) setPast({ link, lines: data });
      })
      .catch(() => undefined);
    return () => {
      gone = true;
    };
  }, [link]);
  const live = useMemo(() => {
    const fresh = tape.filter((line) => passes(line, link, direction));
    const first = fresh[0]?.n ?? Infinity;
    const older =
      past.link === link ? past.lines.filter((line) => line.n < first && passes(line, link, direction)) : [];
    return [...older, ...fresh].slice(-LIVE);
  }, [tape, link, direction, past]);
  return {
    lines: pages ?? live,
    held,
    loading,
    trouble,
    hold: () => {
      setPages(live);
      void load(0);
    },
    goOn: () => {
      turn.current++;
      setPages(null);
      setLoading(false);
    },
    older: () => {
      const first = pages?.[0]?.n;
      if (first !== undefined && !atEnd.current && !loading) void load(first);
    },
  };
}
