import type { Schemas } from "../api/client";
import { NumberEntry } from "../parts/NumberEntry";
import { Fields } from "../parts/Select";

type Limits = Schemas["LimitsPart"];

/** Where a channel should stay: two levels on each side, and how patiently it is judged. */
export function LimitFields({ limits, onChange }: { limits: Limits; onChange: (limits: Limits) => void }) {
  const set = (part: Partial<Limits>): void => onChange({ ...limits, ...part });
  return (
    <Fields>
      <NumberEntry label="Low limit" value={limits.low} onValue={(low) => set({ low })} width={96} empty />
      <NumberEntry
        label="Low caution"
        value={limits.low_caution}
        onValue={(low_caution) => set({ low_caution })}
        width={96}
        empty
      />
      <NumberEntry
        label="High caution"
        value={limits.high_caution}
        onValue={(high_caution) => set({ high_caution })}
        width={96}
        empty
      />
      <NumberEntry
        label="High limit"
        value={limits.high}
        onValue={(high) => set({ high })}
        width={96}
        empty
      />
      <NumberEntry
        label="Hysteresis"
        value={limits.hysteresis}
        onValue={(hysteresis) => set({ hysteresis: hysteresis ?? 0 })}
        width={96}
      />
      <NumberEntry
        label="Delay, s"
        value={limits.delay_s}
        onValue={(delay_s) => set({ delay_s: delay_s ?? 0 })}
        width={96}
      />
      <NumberEntry
        label="Not at start, s"
        value={limits.after_start_s}
        onValue={(after_start_s) => set({ after_start_s: after_start_s ?? 0 })}
        width={96}
      />
      <NumberEntry
        label="Stuck after, s"
        value={limits.stuck_s}
        onValue={(stuck_s) => set({ stuck_s })}
        width={96}
        empty
      />
      <NumberEntry
        label="Settled within"
        value={limits.settled_band}
        onValue={(settled_band) => set({ settled_band })}
        width={96}
        empty
      />
    </Fields>
  );
}
