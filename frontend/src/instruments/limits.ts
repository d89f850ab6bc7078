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
