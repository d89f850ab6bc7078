/** How long a stretch of time the Bench shows. */

export interface TimeWindow {
  key: string;
  text: string;
  /** null: since the run began. */
  ms: number | null;
}

const S = 1000;
const M = 60 * S;
const H = 60 * M;
const D = 24 * H;

const one = (key: string, ms: number | null): TimeWindow => ({ key, text: key, ms });

export const WINDOWS: TimeWindow[] = [
  one("10 s", 10 * S),
  one("30 s", 30 * S),
  one("1 min", M),
  one("5 min", 5 * M),
  one("15 min", 15 * M),
  one("1 h", H),
  one("6 h", 6 * H),
  one("24 h", D),
  one("7 days", 7 * D),
  one("30 days", 30 * D),
  { key: "run", text: "the run", ms: null },
];

const KEPT = "tidybench-window";

export function keptWindow(): TimeWindow {
  const key = localStorage.getItem(KEPT);
  return WINDOWS.find((one) => one.key === key) ?? (WINDOWS[3] as TimeWindow);
}

export const keepWindow = (window: TimeWindow): void => localStorage.setItem(KEPT, window.key);

/** The next narrower (-1) or wider (1) one. "run" stands beside them all. */
export function nextWindow(window: TimeWindow, by: -1 | 1): TimeWindow {
  const plain = WINDOWS.filter((one) => one.ms !== null);
  const at = window.ms === null ? 2 : plain.indexOf(window);
  return plain[Math.min(plain.length - 1, Math.max(0, at + by))] ?? window;
}

/** A stretch that ends now at the latest, as long as it is. */
export function untilNow(
  stretch: { start: number; end: number },
  now: number,
): { start: number; end: number } {
  const late = Math.max(0, stretch.end - now);
  return { start: stretch.start - late, end: stretch.end - late };
}

/** A stretch of the same length, earlier (-0.5: by half of it) or later, but not beyond now. */
export function shifted(
  stretch: { start: number; end: number },
  by: number,
  now: number,
): { start: number; end: number } {
  const span = stretch.end - stretch.start;
  const end = Math.min(stretch.end + span * by, Math.max(now, stretch.end));
  return { start: end - span, end };
}
