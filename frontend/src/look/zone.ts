/** The bench's time zone and clock: a browser elsewhere, or one whose clock is wrong, shows the same times. */

let zone = "";
let clockNow: () => number = () => Date.now();
let parts: Intl.DateTimeFormat | null = null;
const offsets = new Map<number, number>();

/** Milliseconds within which a zone keeps its offset: changes stand at whole quarters of an hour. */
const QUARTER = 900_000;

/** From now on times are those of this zone (its IANA name); an unknown one, or none, is this browser's. */
export function setZone(name: string): void {
  if (name === zone) return;
  zone = name;
  offsets.clear();
  try {
    parts = name
      ? new Intl.DateTimeFormat("en-US", {
          timeZone: name, hourCycle: "h23", year: "numeric", month: "numeric", day: "numeric",
          hour: "numeric", minute: "numeric", second: "numeric",
        }) // prettier-ignore
      : null;
  } catch {
    parts = null;
  }
}

/** Whose "now" decides what is today. */
export function setClock(now: () => number): void {
  clockNow = now;
}

/** The bench's time in milliseconds. */
export const benchNow = (): number => clockNow();

/** Milliseconds that local time is ahead of UTC at a time. */
export function offsetAt(ms: number): number {
  if (!Number.isFinite(ms)) return 0;
  const quarter = Math.floor(ms / QUARTER);
  const known = offsets.get(quarter);
  if (known !== undefined) return known;
  const at = quarter * QUARTER;
  const found = parts ? local(parts, at) - at : -new Date(at).getTimezoneOffset() * 60_000;
  if (offsets.size > 10_000) offsets.clear();
  offsets.set(quarter, found);
  return found;
}

function local(format: Intl.DateTimeFormat, ms: number): number {
  const told = Object.fromEntries(format.formatToParts(ms).map((one) => [one.type, Number(one.value)]));
  const { year = 0, month = 1, day = 1, hour = 0, minute = 0, second = 0 } = told;
  return Date.UTC(year, month - 1, day, hour, minute, second);
}

/** UTC+01:00: the offset then in force, by its name. */
export function offsetName(ms: number): string {
  const minutes = Math.round(offsetAt(ms) / 60_000);
  const all = Math.abs(minutes);
  const two = (n: number): string => String(n).padStart(2, "0");
  return `UTC${minutes < 0 ? "−" : "+"}${two(Math.floor(all / 60))}:${two(all % 60)}`;
}

/** The zone whose times are shown. */
export const zoneName = (): string =>
  parts ? zone : new Intl.DateTimeFormat().resolvedOptions().timeZone || offsetName(Date.now());

/** Whether this browser's own clock shows other hours now. */
export const elsewhere = (): boolean =>
  offsetAt(benchNow()) !== -new Date(benchNow()).getTimezoneOffset() * 60_000;

/** The beginning of a day, given as ISO 8601 has it, or of one some days later; in milliseconds. */
export function startOfDay(date: string, days: number): number {
  const [year = 0, month = 1, day = 1] = date.split("-").map(Number);
  const local = Date.UTC(year, month - 1, day + days);
  // The offset at about that time, then the one exactly then: it may change on this very day.
  return local - offsetAt(local - offsetAt(local));
}
