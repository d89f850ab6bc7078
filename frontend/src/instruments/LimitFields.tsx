import { NumberEntry } from "../parts/NumberEntry";
import { Fields, Select } from "../parts/Select";
import type { Limits } from "./limits";

/** Where a channel should stay: two levels on each side, and how patiently it is judged. */
export function LimitFields({
  limits,
  states = [],
  onChange,
}: {
  limits: Limits;
  states?: string[];
  onChange: (limits: Limits) => void;
}) {
  const set = (part: Partial<Limits>): void => onChange({ ...limits, ...part });
  if (states.length) return <StateLimits limits={limits} states={states} set={set} />;
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
      <Patience limits={limits} set={set} />
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

type Set = (part: Partial<Limits>) => void;

/** How patiently it is judged. */
function Patience({ limits, set }: { limits: Limits; set: Set }) {
  return (
    <>
      <NumberEntry
        label="Delay, s"
        value={limits.delay_s}
        onValue={(delay_s) => set({ delay_s: delay_s ?? 0 })}
        width={96}
      />
      <NumberEntry
        label="Ignore after start, s"
        value={limits.after_start_s}
        onValue={(after_start_s) => set({ after_start_s: after_start_s ?? 0 })}
        width={136}
      />
      <NumberEntry
        label="Stuck after, s"
        value={limits.stuck_s}
        onValue={(stuck_s) => set({ stuck_s })}
        width={96}
        empty
      />
    </>
  );
}

const LEVELS = ["within", "caution", "alarm"];

/** Which of its states call for somebody. */
function StateLimits({ limits, states, set }: { limits: Limits; states: string[]; set: Set }) {
  const { caution, alarm } = limits;
  const level = (word: string): string =>
    alarm.includes(word) ? "alarm" : caution.includes(word) ? "caution" : "within";
  const put = (word: string, next: string): void => {
    // What is none of the states any more goes with the first change.
    const among = (kept: string[], own: string): string[] =>
      states.filter((one) => (one === word ? next === own : kept.includes(one)));
    set({ caution: among(caution, "caution"), alarm: among(alarm, "alarm") });
  };
  return (
    <Fields>
      {states.map((word) => (
        <Select
          key={word}
          label={word}
          value={level(word)}
          options={LEVELS.map((one) => ({ value: one, text: one }))}
          onChange={(next) => put(word, next)}
          width="auto"
        />
      ))}
      <Patience limits={limits} set={set} />
    </Fields>
  );
}
