import type { PreviewRow, Setup } from "../api/client";
import { qualityCodes } from "../look/format";
import { Tick } from "../parts/Tick";
import { Chip } from "../parts/Button";
import { ListEntry } from "../parts/ListEntry";
import { type Limits, noLimits } from "./limits";

type Channel = Setup["channel"][number];

/** The words that a field had in the last messages, as they first came. */
export function wordsOf(rows: PreviewRow[], field: string): string[] {
  const words = rows.map((row) => row.fields[field]?.trim() ?? "");
  return [...new Set(words)].filter((word) => word && !qualityCodes.has(word));
}

/** What a channel becomes when it is said to be something else. */
export function become(channel: Channel, what: string, rows: PreviewRow[]): Partial<Channel> {
  const bare = { scaling: [], filter: [], thinning: null, zero: null, limits: noLimits };
  if (what === "a state")
    return {
      ...bare,
      clock: null,
      states: wordsOf(rows, channel.field).slice(0, 64),
      marks: [],
      unit: "",
      scale: 1,
      offset: 0,
    };
  if (what === "the device’s own time")
    return { ...bare, states: [], marks: [], clock: {}, unit: "s", decimals: 3 };
  return { states: [], marks: [], clock: null, limits: noLimits };
}

/** What a channel's values are: numbers, states, or the time of its device. */
export function kindOf(channel: Channel): string {
  return channel.states.length ? "a state" : channel.clock ? "the device’s own time" : "a number";
}

/** The limits without what is none of the states any more. */
const among = (limits: Limits, states: string[]): Limits => ({
  ...limits,
  caution: limits.caution.filter((word) => states.includes(word)),
  alarm: limits.alarm.filter((word) => states.includes(word)),
});

export const KINDS = ["a number", "a state", "the device’s own time"];

/** The words of a channel's states, and those that came and are none of them yet. */
export function StateFields({
  channel,
  rows,
  set,
}: {
  channel: Channel;
  rows: PreviewRow[];
  set: (part: Partial<Channel>) => void;
}) {
  const numbered = channel.states.map((_, place) => String(place));
  const others = wordsOf(rows, channel.field).filter(
    (word) => !channel.states.includes(word) && !numbered.includes(word),
  );
  return (
    <>
      <ListEntry
        label="States, in order from 0"
        values={channel.states}
        onValues={(states) =>
          set({
            states,
            limits: among(channel.limits, states),
            marks: channel.marks.filter((word) => states.includes(word)),
          })
        }
        width={240}
      />
      {others.slice(0, 4).map((word) => (
        <Chip
          key={word}
          style={{ minHeight: 34 }}
          onPress={() => set({ states: [...channel.states, word] })}
        >{`add ${word}`}</Chip>
      ))}
    </>
  );
}

/** Which of its states set a mark in the run. */
export function MarkFields({ channel, set }: { channel: Channel; set: (part: Partial<Channel>) => void }) {
  return (
    <div style={{ display: "flex", flexWrap: "wrap", gap: "6px 16px" }}>
      {channel.states.map((word) => (
        <Tick
          key={word}
          on={channel.marks.includes(word)}
          onChange={(on) =>
            set({ marks: channel.states.filter((one) => (one === word ? on : channel.marks.includes(one))) })
          }
        >
          {word}
        </Tick>
      ))}
    </div>
  );
}
