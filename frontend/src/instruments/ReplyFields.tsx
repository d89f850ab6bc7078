import { useState } from "react";
import type { QueryPart } from "../api/client";
import { BytesEntry } from "../parts/BytesEntry";
import { Chip } from "../parts/Button";
import { milli } from "../parts/number";
import { NumberEntry } from "../parts/NumberEntry";
import { Select } from "../parts/Select";

type Whole = "one line" | "lines" | "until" | "silence";

const wholeOf = (query: QueryPart): Whole =>
  query.until ? "until" : query.quiet_ms ? "silence" : query.lines === 1 ? "one line" : "lines";

/** When an answer is whole, and what is sent before the question. */
export function ReplyFields({
  query,
  onQuery,
}: {
  query: QueryPart;
  onQuery: (part: Partial<QueryPart>) => void;
}) {
  const whole = wholeOf(query);
  const plain = whole === "one line" && !query.trigger;
  const [open, setOpen] = useState(!plain);
  if (!open)
    return (
      <Chip style={{ minHeight: 34 }} aria-expanded={false} onPress={() => setOpen(true)}>
        more …
      </Chip>
    );
  return (
    <>
      <Select<Whole>
        label="The answer is whole"
        value={whole}
        options={[
          { value: "one line", text: "with its first message" },
          { value: "lines", text: "after this many" },
          { value: "until", text: "at a last line" },
          { value: "silence", text: "when it is quiet" },
        ]}
        onChange={(next) =>
          onQuery({
            lines: next === "lines" ? 2 : 1,
            until: next === "until" ? "END" : "",
            quiet_ms: next === "silence" ? 100 : 0,
          })
        }
        width={175}
      />
      {whole === "lines" && (
        <NumberEntry
          label="messages"
          value={query.lines}
          onValue={(lines) => onQuery({ lines: lines ?? 2 })}
          width={80}
          least={2}
          whole
        />
      )}
      {whole === "until" && (
        <BytesEntry
          label="that begins with"
          value={query.until}
          onChange={(until) => until && onQuery({ until })}
          width={110}
        />
      )}
      {whole === "silence" && (
        <NumberEntry
          label="for, ms"
          value={query.quiet_ms}
          onValue={(ms) => onQuery({ quiet_ms: ms ?? 1 })}
          width={80}
          least={1}
        />
      )}
      <BytesEntry
        label="Trigger sent first"
        value={query.trigger}
        placeholder="none"
        onChange={(trigger) => onQuery({ trigger })}
        width={130}
      />
      {query.trigger && (
        <NumberEntry
          label="then wait, ms"
          value={milli(query.trigger_wait_s)}
          onValue={(ms) => onQuery({ trigger_wait_s: (ms ?? 0) / 1000 })}
          width={90}
          least={0}
        />
      )}
    </>
  );
}
