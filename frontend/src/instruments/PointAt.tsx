import { useRef, useState } from "react";
import styled from "styled-components";
import { api, got, type Meaning, type PreviewRow, type Setup } from "../api/client";
import { useAct } from "../api/useAct";
import { Button, Chip } from "../parts/Button";
import { Entry, Fields, Select } from "../parts/Select";
import { Trouble } from "../parts/Window";
import { type Marked, MessageCells } from "./MessageCells";

const MEANINGS: { value: Meaning; text: string; short: string }[] = [
  { value: "number", text: "a number", short: "a number" },
  { value: "int", text: "a whole number", short: "a whole number" },
  { value: "hex", text: "a number in hexadecimal", short: "hexadecimal" },
  { value: "bits", text: "zeros and ones", short: "bits" },
  { value: "word", text: "a word", short: "a word" },
  { value: "text", text: "text up to what follows", short: "text" },
  { value: "fixed", text: "always the same", short: "always the same" },
  { value: "skip", text: "to be passed over", short: "passed over" },
  { value: "none", text: "“no reading”", short: "no reading" },
  { value: "over", text: "“over range”", short: "over range" },
  { value: "under", text: "“under range”", short: "under range" },
  { value: "absent", text: "not always there", short: "not always there" },
];
const NAMED = new Set<Meaning>(["number", "int", "hex", "bits", "word", "text"]);
const NUMBERS = new Set<Meaning>(["number", "int", "hex", "bits"]);

const Box = styled.div`
  display: grid;
  gap: 8px;
  padding: 8px 0;
`;

/** What the likeliest meaning of some characters is. */
export function likely(text: string): Meaning {
  if (/^\s*[+-]?\s*(\d+[.,]?\d*|[.,]\d+)([eE][+-]?\d+)?\s*$/.test(text)) return "number";
  if (/^[\s-]*[-?*]+[\s.,-]*$/.test(text)) return "none";
  if (/^(OL|OVER|OVL|OVERLOAD|9\.9E\+?37)$/i.test(text.trim())) return "over";
  return /^\S+$/.test(text) ? "word" : "text";
}

/** The label that stands before a number, as a name for it. */
export function nameFor(message: string, start: number, source: string): string {
  const before = /([A-Za-z][\w]*)\s*[=:(]?\s*[+-]?$/.exec(message.slice(0, start));
  const plain = (before?.[1] ?? "").toLowerCase();
  if (plain && !source.includes(`<${plain}`)) return plain;
  let n = 1;
  while (source.includes(`<v${n}`)) n++;
  return `v${n}`;
}

/** One message to point at: what is marked is said to be something, and the pattern is rewritten. */
export function PointAt({
  row,
  source,
  encoding,
  onSource,
}: {
  row: PreviewRow;
  source: string;
  encoding: Setup["framing"]["encoding"];
  onSource: (source: string) => void;
}) {
  const [held, setHeld] = useState(row);
  const [marked, setMarked] = useState<Marked | null>(null);
  const [meaning, setMeaning] = useState<Meaning>("number");
  const [name, setName] = useState("");
  const [unit, setUnit] = useState("");
  const { run, trouble, clear } = useAct();
  const form = useRef<HTMLFormElement>(null);
  // While something is marked the message stays, whatever comes meanwhile.
  const shown = marked ? held : row;
  const spans = row.message === shown.message ? row.spans : shown.spans;
  const mark = (next: Marked | null): void => {
    clear();
    if (next) {
      if (!marked) setHeld(row);
      const text = shown.message.slice(next.start, next.end);
      const known = spans.find((one) => one.start < next.end && one.end > next.start);
      const guess = known && NAMED.has(known.kind as Meaning) ? (known.kind as Meaning) : likely(text);
      setMeaning(guess);
      setName(known?.name ?? nameFor(shown.message, next.start, source));
      setUnit("");
    }
    setMarked(next);
  };
  const say = (): void => {
    if (!marked) return;
    const body = {
      source,
      message: shown.message,
      ...marked,
      meaning,
      name: NAMED.has(meaning) ? name : "",
      unit: NUMBERS.has(meaning) ? unit : "",
      encoding,
    };
    run(async () => {
      const made = await got(api.POST("/api/patterns/point", { body }));
      setMarked(null);
      onSource(made.source);
    });
  };
  return (
    <Box>
      <MessageCells
        message={shown.message}
        spans={spans}
        column={shown.column}
        marked={marked}
        onMark={mark}
        onEnter={() => form.current?.querySelector("button")?.focus()}
      />
      {marked ? (
        <form
          ref={form}
          onSubmit={(event) => {
            event.preventDefault();
            say();
          }}
        >
          <Fields>
            <Select
              label={`“${shown.message.slice(marked.start, marked.end)}” is`}
              value={meaning}
              options={MEANINGS}
              onChange={setMeaning}
              width={190}
            />
            {NAMED.has(meaning) && <Entry label="called" value={name} onChange={setName} width={120} />}
            {NUMBERS.has(meaning) && (
              <Entry label="in" value={unit} placeholder="unit" onChange={setUnit} width={80} />
            )}
            <Button $kind="bright" type="submit" style={{ minHeight: 34 }}>
              Apply
            </Button>
            <Chip style={{ minHeight: 34 }} onPress={() => mark(null)}>
              Cancel
            </Chip>
          </Fields>
        </form>
      ) : (
        <p style={{ color: "var(--quiet)" }}>Drag over part of the message to say what it is.</p>
      )}
      {trouble && <Trouble>{trouble}</Trouble>}
    </Box>
  );
}
