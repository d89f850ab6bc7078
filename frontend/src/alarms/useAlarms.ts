import { useEffect, useRef } from "react";
import type { Schemas } from "../api/client";
import { moment } from "../look/format";
import type { LiveState } from "../live/connection";
import { useNow } from "../live/useNow";
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
export function alarmsOf(live: LiveState, now: number): Alarm[] {
  const open = live.status?.crossings ?? [];
  const alarms = open.map((one: Schemas["OpenCrossing"]) => ({
    id: one.id,
    words: one.crossing.words,
    since: one.crossing.at / 1000,
    over: one.back_at / 1000,
  }));
  const silence = quiet(live, now);
  return silence ? [silence, ...alarms] : alarms;
}

/** The line itself as an alarm, where nothing is heard of the bench. */
function quiet(live: LiveState, now: number): Alarm | null {
  if (live.line === "live" || live.line === "joining" || live.line === "refused" || now - live.since < SILENT)
    return null;
  const run = live.status?.run;
  const more = run ? ` The run “${run.name}” was being logged; whether it still is cannot be seen here.` : "";
  return { id: 0, words: `Nothing is heard from the bench.${more}`, since: live.since, over: 0 };
}

/** The alarms, told aloud where that is wanted: new ones at once, and again until somebody has seen them. */
export function useAlarms(live: LiveState): Alarm[] {
  const now = useNow(1000);
  const alarms = alarmsOf(live, now);
  const newest = useRef({ id: 0, silent: false });
  const told = useRef(0);
  const first = alarms[0];
  const last = alarms.at(-1);
  useEffect(() => {
    const silent = first?.id === 0;
    const fresh = (last && last.id > newest.current.id) || (silent && !newest.current.silent);
    const { again } = wanted();
    const due = again > 0 && Date.now() - told.current >= again * 1000;
    newest.current = { id: Math.max(newest.current.id, last?.id ?? 0), silent };
    if (!first || !(fresh || due)) return;
    told.current = Date.now();
    call(fresh && !silent && last ? last.words : `${first.words}, since ${moment(first.since)}`);
  }, [first, last, now]);
  return alarms;
}
