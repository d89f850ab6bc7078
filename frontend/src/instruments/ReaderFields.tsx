import type { ReaderPart } from "../api/client";
import { NumberEntry } from "../parts/NumberEntry";
import { Entry, Fields, Select } from "../parts/Select";
import { endName } from "../parts/escapes";
import { ListEntry } from "../parts/ListEntry";

const KINDS = [
  { value: "patterns", text: "message patterns" },
  { value: "columns", text: "columns" },
  { value: "pairs", text: "labels and values" },
  { value: "nmea", text: "NMEA 0183" },
  { value: "scpi", text: "SCPI numbers" },
  { value: "json", text: "JSON" },
  { value: "block", text: "an IEEE 488.2 block" },
] as const;
type Kind = (typeof KINDS)[number]["value"];

const numbers = { decimal: "." as const, none: [], over: [], under: [] };
const FRESH: Record<Exclude<Kind, "patterns">, ReaderPart> = {
  columns: { kind: "columns", separator: ",", names: [], header: false, ...numbers },
  pairs: { kind: "pairs", between: ";", equals: "=", ...numbers },
  nmea: { kind: "nmea", sentences: ["XDR"], talker: "" },
  scpi: { kind: "scpi", names: ["value"] },
  json: { kind: "json" },
  block: { kind: "block", numbers: "float32", order: "high first", most: 0 },
};

const SEPARATORS = [",", ";", "\t", " ", "|"].map((value) => ({
  value,
  text: value === "\t" ? "tabs" : value === " " ? "blanks" : endName(value),
}));

/** How messages are read where no pattern says so. */
export function ReaderFields({
  reader,
  onReader,
}: {
  reader: ReaderPart | null;
  onReader: (reader: ReaderPart | null) => void;
}) {
  const set = (part: Partial<ReaderPart>): void => onReader({ ...reader, ...part } as ReaderPart);
  const withTokens = reader && (reader.kind === "columns" || reader.kind === "pairs");
  return (
    <Fields>
      <Select<Kind>
        label="Read as"
        value={reader?.kind ?? "patterns"}
        options={KINDS}
        onChange={(kind) => onReader(kind === "patterns" ? null : FRESH[kind])}
        width={180}
      />
      {reader?.kind === "columns" && (
        <>
          <Select
            label="Columns between"
            value={reader.separator}
            options={SEPARATORS}
            onChange={(separator) => set({ separator })}
            width={120}
          />
          <ListEntry
            label="Names, in order (- skips one)"
            values={reader.names}
            placeholder={reader.header ? "learnt from the header row" : "c1, c2 …"}
            onValues={(names) => set({ names })}
            width={230}
          />
          <Select
            label="Header row"
            value={reader.header ? "yes" : "no"}
            options={[
              { value: "yes", text: "names the columns" },
              { value: "no", text: "none comes" },
            ]}
            onChange={(header) => set({ header: header === "yes" })}
            width={150}
          />
        </>
      )}
      {reader?.kind === "pairs" && (
        <>
          <Select
            label="Pairs between"
            value={reader.between}
            options={SEPARATORS}
            onChange={(between) => set({ between })}
            width={110}
          />
          <Select
            label="Label and value"
            value={reader.equals}
            options={["=", ":", " "].map((value) => ({ value, text: value === " " ? "a blank" : value }))}
            onChange={(equals) => set({ equals })}
            width={110}
          />
        </>
      )}
      {withTokens && (
        <>
          <Select
            label="Decimal sign"
            value={reader.decimal}
            options={[
              { value: ".", text: "point" },
              { value: ",", text: "comma" },
            ]}
            onChange={(decimal) => set({ decimal })}
            width={95}
          />
          <ListEntry
            label="No reading"
            values={reader.none}
            between=" "
            placeholder="--- --.--"
            mono
            onValues={(none) => set({ none })}
            width={130}
          />
        </>
      )}
      {reader?.kind === "nmea" && (
        <>
          <ListEntry
            label="Sentences"
            values={reader.sentences}
            onValues={(sentences) => set({ sentences: sentences.map((one) => one.toUpperCase()) })}
            width={130}
          />
          <Entry
            label="Talker"
            value={reader.talker}
            placeholder="any"
            onChange={(text) => set({ talker: text.trim().toUpperCase() })}
            width={80}
          />
        </>
      )}
      {reader?.kind === "scpi" && (
        <ListEntry
          label="Names, in order"
          values={reader.names}
          onValues={(names) => set({ names })}
          width={220}
        />
      )}
      {reader?.kind === "block" && (
        <>
          <Select
            label="Numbers"
            value={reader.numbers}
            options={["int8", "uint8", "int16", "uint16", "int32", "uint32", "float32", "float64", "text"]}
            onChange={(kind) => set({ numbers: kind })}
            width={110}
          />
          <Select
            label="Byte order"
            value={reader.order}
            options={["high first", "low first"]}
            onChange={(order) => set({ order })}
            width={110}
          />
          <NumberEntry
            label="Single numbers, most"
            value={reader.most}
            onValue={(most) => set({ most: most ?? 0 })}
            width={130}
            least={0}
            most={200}
            whole
          />
        </>
      )}
    </Fields>
  );
}
