import { useEffect, useMemo, useRef, useState } from "react";
import type { Schemas } from "../api/client";
import { moment } from "../look/format";
import { alike, type LiveState, useLive } from "../live/connection";
import { call, wanted } from "./calls";

/** Milliseconds without a word after which it calls. */
const SILENT = 8_000;

export interface Alarm {
  /** 0: the line itself, which nobody can have seen elsewhere. */
  id: number;
  words: string;
  since: number;
  /** When it was over, 0 while it is not. */
  over: number;
}

/** What calls for a person now, the first cause first: limits and outages of the recorder's, and silence of the line. */
export function alarmsOf(heard: Heard, silent: boolean): Alarm[] {
  const alarms = heard.crossings.map((one) => ({
    id: one.id,
    words: one.crossing.words,
    since: one.crossing.at / 1000,
    over: one.back_at / 1000,
  }));
  return silent ? [silence(heard), ...alarms] : alarms;
}

/** Whether it would be an alarm if nothing were heard for longer. */
const calling = (line: LiveState["line"]): boolean =>
  line !== "live" && line !== "joining" && line !== "refused";

/** The line itself as an alarm. */
function silence({ since, run }: Heard): Alarm {
  const more = run ? ` The run “${run}” was being logged; whether it still is cannot be seen here.` : "";
  return { id: 0, words: `Nothing is heard from the bench.${more}`, since, over: 0 };
}

/** Of the live state, what alarms depend on. */
export type Heard = Pick<LiveState, "line" | "since"> & {
  crossings: Schemas["OpenCrossing"][];
  /** Of the run that is logged, "" for none. */
  run: string;
};

const NO_CROSSINGS: Schemas["OpenCrossing"][] = [];

export const heardOf = ({ line, since, status }: LiveState): Heard => ({
  line,
  since,
  crossings: status?.crossings ?? NO_CROSSINGS,
  run: status?.run?.name ?? "",
});

/** Whether the line has been silent for so long that it calls: asked again when that may be. */
function useSilent({ line, since }: Heard): boolean {
  const [at, setAt] = useState(() => Date.now());
  const calls = calling(line);
  useEffect(() => {
    if (!calls) return;
    const timer = setTimeout(() => setAt(Date.now()), Math.max(0, since + SILENT - Date.now()) + 20);
    return () => clearTimeout(timer);
  }, [calls, since]);
  return calls && at - since >= SILENT;
}

/** The alarms, told aloud where that is wanted: new ones at once, and again until somebody has seen them. */
export function useAlarms(): Alarm[] {
  const heard = useLive(heardOf, alike);
  const silent = useSilent(heard);
  const alarms = useMemo(() => alarmsOf(heard, silent), [heard, silent]);
  const newest = useRef({ id: 0, silent: false });
  const told = useRef(0);
  useEffect(() => {
    const first = alarms[0];
    const last = alarms.at(-1);
    const quiet = first?.id === 0;
    const fresh = (last && last.id > newest.current.id) || (quiet && !newest.current.silent);
    newest.current = { id: Math.max(newest.current.id, last?.id ?? 0), silent: quiet };
    if (!first) return;
    const tell = (words: string): void => {
      told.current = Date.now();
      call(words);
    };
    if (fresh) tell(!quiet && last ? last.words : `${first.words}, since ${moment(first.since)}`);
    const timer = setInterval(() => {
      const { again } = wanted();
      if (again > 0 && Date.now() - told.current >= again * 1000)
        tell(`${first.words}, since ${moment(first.since)}`);
    }, 1000);
    return () => clearInterval(timer);
  }, [alarms]);
  return alarms;
}
