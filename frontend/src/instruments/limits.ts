import type { Schemas } from "../api/client";
import { limitWords } from "../bench/lanes";

export type Limits = Schemas["LimitsPart"];

/** Of a channel that may go anywhere. */
export const noLimits: Limits = { hysteresis: 0, delay_s: 0, after_start_s: 0, caution: [], alarm: [] };

/** The limits of a channel in one line; "" where it has none. */
export function limitsSaid({ low = null, high = null, alarm, caution }: Limits): string {
  if (low !== null || high !== null) return `limits ${limitWords({ low, high })}`;
  const words = [...alarm.map((word) => `alarm at ${word}`), ...caution.map((word) => `caution at ${word}`)];
  return words.join(", ");
}

/** What the limits say, without what they leave open; null where they say nothing. A level of 0 is a level. */
export function leanLimits(limits: object): object | null {
  const kept = Object.entries(limits).filter(([key, value]: [string, unknown]) =>
    Array.isArray(value) ? value.length > 0 : value != null && (value !== 0 || /^(low|high)/.test(key)),
  );
  return kept.length ? Object.fromEntries(kept) : null;
}
