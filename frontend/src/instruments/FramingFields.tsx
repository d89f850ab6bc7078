import styled from "styled-components";
import type { CheckPart, FramingSuggestion, Setup } from "../api/client";
import { BytesEntry } from "../parts/BytesEntry";
import { Button } from "../parts/Button";
import { ControlText } from "../parts/ControlText";
import { endName, escaped } from "../parts/escapes";
import { NumberEntry } from "../parts/NumberEntry";
import { Select } from "../parts/Select";

type Framing = Setup["framing"];
type Kind = Framing["kind"];

const KINDS: { value: Kind; text: string }[] = [
  { value: "ends with", text: "ends with …" },
  { value: "between marks", text: "stands between marks" },
  { value: "fixed length", text: "has a fixed length" },
  { value: "silence", text: "is followed by silence" },
  { value: "counted", text: "says how long it is" },
  { value: "ieee 488.2", text: "is a line or an IEEE 488.2 block" },
  { value: "modbus rtu", text: "is a Modbus RTU frame" },
  { value: "modbus ascii", text: "is a Modbus ASCII frame" },
  { value: "modbus tcp", text: "is a Modbus TCP frame" },
];
const END_CHOICES = ["\r\n", "\r", "\n", "either", "\u0003", ";"];

const CHECKS = [
  { value: "none", text: "none" },
  { value: "nmea", text: "NMEA 0183, *hh" },
  { value: "xor hex", text: "XOR, two hex digits" },
  { value: "modbus crc", text: "CRC-16 of Modbus" },
  { value: "other", text: "other …" },
] as const;
const RECKONED: CheckPart["kind"][] = [
  "xor", "sum", "lrc", "crc-8", "crc-16 modbus", "crc-16 arc", "crc-16 ccitt", "crc-16 xmodem", "crc-16 x25", "crc-32",
]; // prettier-ignore
const FRESH: CheckPart = {
  kind: "sum",
  written: "hex",
  skip: 0,
  before: "",
  covers_before: false,
  covers_start: false,
  negated: false,
};

const COVERS = ["what is between", "the end mark too", "the start mark too", "both marks too"];

/** How a message is told from the next, as in “a message ends with CR LF”. */
export function framingWords(framing: Framing): string {
  const found = KINDS.find((one) => one.value === framing.kind);
  return framing.kind === "ends with"
    ? `a message ends with ${endName(framing.terminator)}`
    : framing.kind === "between marks"
      ? `a message stands between ${escaped(framing.start)} and ${escaped(framing.end)}`
      : `a message ${found?.text ?? framing.kind}`;
}

/** What a kind of framing needs to begin with. */
function fresh(kind: Kind, framing: Framing): Partial<Framing> {
  return {
    kind,
    ...(kind === "between marks" && !(framing.start && framing.end)
      ? { start: "\u0002", end: "\u0003" }
      : {}),
    ...(kind === "fixed length" && !framing.length ? { length: 8, start: "" } : {}),
    ...(kind === "counted" && !framing.count
      ? { count: { at: 1, size: 1, written: "high first" as const, plus: 2 } }
      : {}),
    ...(kind.startsWith("modbus") ? { check: "none" as const } : {}),
  };
}

/** How bytes are cut into messages, and what proves them whole. */
export function FramingFields({
  framing,
  onFraming,
}: {
  framing: Framing;
  onFraming: (part: Partial<Framing>) => void;
}) {
  const { kind, count } = framing;
  const check = typeof framing.check === "string" ? null : framing.check;
  const setCheck = (part: Partial<CheckPart>): void => onFraming({ check: { ...FRESH, ...check, ...part } });
  return (
    <>
      <Select
        label="A message"
        value={kind}
        options={KINDS}
        onChange={(next) => onFraming(fresh(next, framing))}
        width={200}
      />
      {kind === "between marks" && (
        <>
          <BytesEntry
            label="Start mark"
            value={framing.start}
            onChange={(start) => start && onFraming({ start })}
            width={90}
          />
          <BytesEntry
            label="End mark"
            value={framing.end}
            onChange={(end) => end && onFraming({ end })}
            width={90}
          />
          <NumberEntry
            label="Check bytes behind it"
            value={framing.behind}
            onValue={(behind) => onFraming({ behind: behind ?? 0 })}
            width={130}
            least={0}
            most={8}
            whole
          />
        </>
      )}
      {(kind === "ends with" || kind === "ieee 488.2") && (
        <>
          <Select
            label="its end"
            value={framing.terminator}
            options={[...new Set([...END_CHOICES, framing.terminator])].map((end) => ({
              value: end,
              text: endName(end),
            }))}
            onChange={(terminator) => onFraming({ terminator })}
            width={140}
          />
          <BytesEntry
            label="or other bytes"
            value={framing.terminator === "either" ? "" : framing.terminator}
            onChange={(terminator) => terminator && onFraming({ terminator })}
            width={110}
          />
        </>
      )}
      {(kind === "fixed length" || kind === "counted") && (
        <BytesEntry
          label="It begins with"
          value={framing.start}
          placeholder="nothing fixed"
          onChange={(start) => onFraming({ start })}
          width={110}
        />
      )}
      {kind === "fixed length" && (
        <NumberEntry
          label="Bytes"
          value={framing.length}
          onValue={(length) => onFraming({ length: length ?? 1 })}
          width={80}
          least={1}
          whole
        />
      )}
      {(kind === "silence" || kind === "fixed length") && (
        <NumberEntry
          label="Silence, ms"
          value={framing.silence_ms}
          onValue={(ms) => onFraming({ silence_ms: ms ?? 0.1 })}
          width={90}
          least={0.1}
        />
      )}
      {kind === "counted" && count && (
        <>
          <NumberEntry
            label="Count at byte (from 0)"
            value={count.at}
            onValue={(at) => onFraming({ count: { ...count, at: at ?? 0 } })}
            width={130}
            least={0}
            whole
          />
          <NumberEntry
            label="its bytes"
            value={count.size}
            onValue={(size) => onFraming({ count: { ...count, size: size ?? 1 } })}
            width={70}
            least={1}
            most={8}
            whole
          />
          <Select
            label="written"
            value={count.written}
            options={["high first", "low first", "decimal", "hex"]}
            onChange={(written) => onFraming({ count: { ...count, written } })}
            width={105}
          />
          <NumberEntry
            label="plus bytes"
            value={count.plus}
            onValue={(plus) => onFraming({ count: { ...count, plus: plus ?? 0 } })}
            width={110}
            whole
          />
        </>
      )}
      {!kind.startsWith("modbus") && (
        <Select
          label="Check characters"
          value={check ? "other" : (framing.check as string)}
          options={CHECKS}
          onChange={(next) =>
            next === "other" ? setCheck({}) : onFraming({ check: next as Exclude<Framing["check"], object> })
          }
          width={165}
        />
      )}
      {check && (
        <>
          <Select
            label="method"
            value={check.kind}
            options={RECKONED}
            onChange={(next) => setCheck({ kind: next })}
            width={130}
          />
          <Select
            label="written"
            value={check.written}
            options={["hex", "high first", "low first", "decimal"]}
            onChange={(written) => setCheck({ written })}
            width={105}
          />
          <NumberEntry
            label="Skip first bytes"
            value={check.skip}
            onValue={(skip) => setCheck({ skip: skip ?? 0 })}
            width={140}
            least={0}
            most={64}
            whole
          />
          {framing.behind ? (
            <Select
              label="covers"
              value={COVERS[Number(check.covers_start) * 2 + Number(check.covers_before)] as string}
              options={COVERS}
              onChange={(next) =>
                setCheck({
                  covers_start: COVERS.indexOf(next) > 1,
                  covers_before: COVERS.indexOf(next) % 2 === 1,
                })
              }
              width={170}
            />
          ) : (
            <BytesEntry
              label="behind"
              value={check.before}
              placeholder="nothing"
              onChange={(before) => setCheck({ before })}
              width={80}
            />
          )}
        </>
      )}
    </>
  );
}

const Card = styled.div`
  border: 1px solid var(--hairline);
  border-radius: var(--radius);
  padding: 8px 12px;
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 4px 12px;
  align-items: center;
  .wire {
    grid-column: 1;
    font-family: "Atkinson Hyperlegible Mono Variable", monospace;
    font-size: 13px;
    overflow-wrap: anywhere;
  }
`;

/** Other ways to cut the bytes, where they look better. */
export function Suggestions({
  suggestions,
  onTake,
}: {
  suggestions: FramingSuggestion[];
  onTake: (framing: Framing) => void;
}) {
  const [first] = suggestions;
  if (!first) return null;
  return (
    <Card data-testid="framing-suggestion">
      <span>{first.reason}.</span>
      <Button $kind="bright" style={{ minHeight: 32 }} onPress={() => onTake(first.framing)}>
        Use this framing
      </Button>
      {first.examples.map((text, index) => (
        <span className="wire" key={index}>
          <ControlText text={text} />
        </span>
      ))}
    </Card>
  );
}
