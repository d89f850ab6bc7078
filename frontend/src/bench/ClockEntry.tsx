import { useEffect, useId, useState } from "react";
import { connection } from "../live/connection";
import { clock } from "../look/format";
import { offsetAt } from "../look/zone";
import { useFormFields } from "../parts/formFields";
import { Entry } from "../parts/Select";

const TIME = /^([01]?\d|2[0-3]):[0-5]\d(:[0-5]\d)?$/;
const WRONG = "Write it as 17:30.";

/** What a clock time is written like; null where it is none. */
export function timeOfDay(text: string): string | null {
  const found = text.trim();
  if (TIME.test(found))
    return found.padStart(found.length === 4 || found.length === 7 ? found.length + 1 : 0, "0");
  return /[+-]\d\d:?\d\d$|Z$/.test(found) && !Number.isNaN(Date.parse(found)) ? found : null;
}

/** The next full hour of the bench, an hour from now at the latest. */
export const nextHour = (now: number): string => `${clock(now + 3_600_000).slice(0, 2)}:00`;

/** Which day a time of day means. */
export function dayOf(text: string, now: number): string {
  const found = timeOfDay(text);
  if (!found || found.length > 8) return "";
  return found > clock(now).slice(0, found.length) ? "today" : "tomorrow";
}

const DAY = 86_400_000;

/** The newest moment of the bench that a time of day means, not later than `now`; null where it is none. In milliseconds. */
export function pastMoment(text: string, now: number): number | null {
  const found = timeOfDay(text);
  if (!found || found.length > 8) return found ? earlier(Date.parse(found), now) : null;
  const [hours = 0, minutes = 0, seconds = 0] = found.split(":").map(Number);
  const today = Math.floor((now + offsetAt(now)) / DAY) * DAY;
  for (const day of [today, today - DAY]) {
    const local = day + ((hours * 60 + minutes) * 60 + seconds) * 1000;
    const moment = local - offsetAt(local - offsetAt(now));
    if (moment <= now) return moment;
  }
  return null;
}

const earlier = (moment: number, now: number): number | null => (moment <= now ? moment : null);

/** Which day a moment that has gone by was. */
export function dayBefore(text: string, now: number): string {
  const moment = pastMoment(text, now);
  if (moment === null) return "";
  return Math.floor((moment + offsetAt(moment)) / DAY) === Math.floor((now + offsetAt(now)) / DAY)
    ? "today"
    : "yesterday";
}

export interface ClockEntryProps {
  value: string;
  /** What is said of the day that a time means. */
  day?: (text: string, now: number) => string;
  onValue: (text: string) => void;
}

/** A clock time of the bench. What is none keeps its form from being sent. */
export function ClockEntry({ value, day = dayOf, onValue }: ClockEntryProps) {
  const id = useId();
  const { report } = useFormFields();
  const [typed, setTyped] = useState<{ text: string; over: string } | null>(null);
  const text = typed?.over === value ? typed.text : value;
  const wrong = timeOfDay(text) === null ? WRONG : "";
  useEffect(() => {
    report(id, wrong);
    return () => report(id, "");
  }, [report, id, wrong]);
  return (
    <Entry
      label="Time of day, of the bench"
      value={text}
      width={190}
      after={<span style={{ whiteSpace: "nowrap" }}>{day(text, connection.now())}</span>}
      invalid={wrong !== ""}
      wrong={wrong}
      onChange={(next) => {
        const found = timeOfDay(next);
        setTyped({ text: next, over: found ?? value });
        if (found) onValue(found);
      }}
      onBlur={() => !wrong && setTyped(null)}
    />
  );
}
