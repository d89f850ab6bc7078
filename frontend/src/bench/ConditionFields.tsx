import type { ReactNode } from "react";
import type { Channel } from "../api/client";
import { NumberEntry } from "../parts/NumberEntry";
import { Fields, Select } from "../parts/Select";
import { SpanEntry } from "../parts/SpanEntry";
import type { Condition } from "./plan";

const SIDES: readonly Condition["side"][] = ["above", "below", "beyond its limits"];

const levelOf = (channel: Channel | undefined): string =>
  channel?.unit ? `Level, ${channel.unit}` : "Level";

/** The channels to choose from, with one that is not on the bench any more. */
export function choices(channels: readonly Channel[], id: string): { value: string; text: string }[] {
  const ids = channels.map((one) => ({ value: one.id, text: one.name }));
  return ids.some((one) => one.value === id)
    ? ids
    : [...ids, { value: id, text: `${id} (not on the bench)` }];
}

/** A condition to begin with. */
export const onLevel = (channel: Channel): Condition => ({
  channel: channel.id,
  side: "above",
  value: null,
  for_s: 0,
});

export interface ConditionFieldsProps {
  condition: Condition;
  onChange: (condition: Condition) => void;
  channels: Channel[];
  children?: ReactNode;
}

/** A channel above or below a level, or beyond its limits, for a time. */
export function ConditionFields({ condition, onChange, channels, children }: ConditionFieldsProps) {
  const set = (part: Partial<Condition>): void => onChange({ ...condition, ...part });
  return (
    <Fields>
      <Select
        label="Channel"
        value={condition.channel}
        options={choices(channels, condition.channel)}
        onChange={(channel) => set({ channel })}
        width={150}
      />
      <Select
        label="is"
        value={condition.side}
        options={SIDES}
        onChange={(side) =>
          set({ side, value: side === "beyond its limits" ? null : (condition.value ?? null) })
        }
        width={150}
      />
      {condition.side !== "beyond its limits" && (
        <NumberEntry
          label={levelOf(channels.find((one) => one.id === condition.channel))}
          value={condition.value}
          onValue={(value) => set({ value })}
          width={84}
        />
      )}
      <SpanEntry
        label="for"
        value={condition.for_s}
        onValue={(for_s) => set({ for_s: for_s ?? 0 })}
        least={0}
        most={86_400}
        units={["s", "min", "h"]}
      />
      {children}
    </Fields>
  );
}
