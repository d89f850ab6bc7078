import type { Channel } from "../api/client";
import { connection } from "../live/connection";
import { Fields, Select } from "../parts/Select";
import { SpanEntry } from "../parts/SpanEntry";
import { ClockEntry, nextHour } from "./ClockEntry";
import { choices, ConditionFields, onLevel } from "./ConditionFields";
import { type Begins, noBegins, waitsFor } from "./plan";

const MEMORY_S = 3600;

const WAYS = [
  { value: "person", text: "now, when you press" },
  { value: "at", text: "at a clock time" },
  { value: "when", text: "on a level or limit" },
  { value: "reading", text: "with the next reading of a channel" },
] as const;

export interface BeginFieldsProps {
  begins: Begins;
  onChange: (begins: Begins) => void;
  /** The bench's channels, without clocks. */
  channels: Channel[];
}

/** What begins a run, and how much from memory comes along. */
export function BeginFields({ begins, onChange, channels }: BeginFieldsProps) {
  const measured = channels.filter((one) => !one.states?.length);
  const [first] = measured;
  const turn = (way: (typeof WAYS)[number]["value"]): void => {
    const plain = { ...noBegins, before_s: begins.before_s ?? 0 };
    if (way === "at") onChange({ ...plain, at: nextHour(connection.now()) });
    else if (way === "when" && first) onChange({ ...plain, when: onLevel(first) });
    else if (way === "reading" && first) onChange({ ...plain, reading: first.id });
    else onChange(plain);
  };
  return (
    <>
      <Fields>
        <Select
          label="The run begins"
          value={waitsFor(begins)}
          options={first ? WAYS : WAYS.slice(0, 2)}
          onChange={turn}
          width={270}
        />
        {begins.at != null && <ClockEntry value={begins.at} onValue={(at) => onChange({ ...begins, at })} />}
        {begins.reading != null && (
          <Select
            label="Channel"
            value={begins.reading}
            options={choices(channels, begins.reading)}
            onChange={(reading) => onChange({ ...begins, reading })}
            width={190}
          />
        )}
      </Fields>
      {begins.when && (
        <>
          <ConditionFields
            condition={begins.when}
            onChange={(when) => onChange({ ...begins, when })}
            channels={channels}
          />
          <p style={{ color: "var(--quiet)" }}>Where that is so already, the run begins at once.</p>
        </>
      )}
      {begins.reading != null && (
        <p style={{ color: "var(--quiet)" }}>For a gauge that sends its reading when its key is pressed.</p>
      )}
      <SpanEntry
        label="With what was measured before, up to 1 h"
        value={begins.before_s ?? 0}
        onValue={(before_s) => onChange({ ...begins, before_s: before_s ?? 0 })}
        least={0}
        most={MEMORY_S}
        units={["s", "min"]}
        width={240}
      />
    </>
  );
}
