import { useState } from "react";
import styled from "styled-components";
import type { PreviewRow, Setup } from "../api/client";
import { useLive } from "../live/connection";
import { limitsSaid, noLimits } from "./limits";
import { Button, Chip } from "../parts/Button";
import { NumberEntry } from "../parts/NumberEntry";
import { Entry, Fields, Select } from "../parts/Select";
import { UNITS } from "../parts/units";
import { CalibrationFields } from "./CalibrationFields";
import { ChannelMore } from "./ChannelMore";
import { kindOf, StateFields, wordsOf } from "./StateFields";

type Channel = Setup["channel"][number];

const Row = styled.div`
  border-top: 1px solid var(--ruling);
  padding-top: 8px;
  &:first-child {
    border-top: 0;
    padding-top: 0;
  }
`;

/** A field that channels can be made from, and the query it comes with. */
export interface Source {
  field: string;
  query: string | null;
}

/** The numbers and words that the last messages (or the register map) hold. */
export function sourcesOf(setup: Setup, rows: PreviewRow[]): Source[] {
  const found = new Map<string, Source>();
  const add = (field: string, query: string | null): void => {
    found.set(`${query ?? ""} ${field}`, { field, query });
  };
  if (setup.modbus) for (const register of setup.modbus.registers) add(register.name, null);
  const single = setup.query.length <= 1;
  for (const row of rows)
    for (const [field, value] of Object.entries(row.fields))
      if (value !== "" && !setup.modbus && isSource(field, value, rows))
        add(field, single || !row.query ? null : row.query);
  return [...found.values()];
}

/** Words that a field had from which on it is a text, and no state. */
const MAX_STATES = 8;

/** Whether a channel can be made from a field: of a number, or of a word that is one of a few. */
function isSource(field: string, value: string, rows: PreviewRow[]): boolean {
  if (Number.isFinite(Number(value))) return true;
  return field !== "names" && field !== "error" && wordsOf(rows, field).length <= MAX_STATES;
}

const slug = (text: string): string =>
  text
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-|-$/g, "") || "channel";

/** A channel made from a field, under an id that no other has. */
export function freshChannel(setup: Setup, source: Source, rows: PreviewRow[]): Channel {
  const base = slug(`${setup.instrument.id}-${source.field}`).slice(0, 56);
  const ids = setup.channel.map((channel) => channel.id);
  let id = base;
  for (let n = 2; ids.includes(id); n++) id = `${base}-${n}`;
  const shown = rows.map((row) => row.fields[source.field]).find((value) => value?.includes("."));
  const unit = unitOf(setup, source);
  const words = wordsOf(rows, source.field);
  const states = words.some((word) => !Number.isFinite(Number(word))) ? words.slice(0, 64) : [];
  return {
    id,
    name: source.field.charAt(0).toUpperCase() + source.field.slice(1).replaceAll("_", " "),
    field: source.field,
    query: source.query,
    unit,
    scale: 1,
    offset: 0,
    decimals: Math.min(3, shown?.split(".")[1]?.length ?? 0),
    limits: noLimits,
    scaling: [],
    filter: [],
    states,
    marks: [],
  };
}

/** The unit a pattern gives a field. */
function unitOf(setup: Setup, source: Source): string {
  const patterns = source.query
    ? (setup.query.find((query) => query.id === source.query)?.patterns ?? [])
    : [...setup.query.flatMap((query) => query.patterns), ...(setup.listen?.patterns ?? [])];
  for (const pattern of patterns) {
    const escapedName = source.field.replace(/[.*+?^${}()|[\]\\]/g, "\\$&");
    const found = new RegExp(`<${escapedName}[ :][^>]*\\[([^\\]]+)\\]`).exec(pattern);
    if (found?.[1]) return found[1];
  }
  return "";
}

/** The newest field a channel is made from, as a number; null where none has come. */
function valueOf(rows: PreviewRow[], channel: Channel): number | null {
  for (const row of rows) {
    const text = row.fields[channel.field];
    if (
      text &&
      (!channel.query || !row.query || row.query === channel.query) &&
      Number.isFinite(Number(text))
    )
      return Number(text);
  }
  return null;
}

/** In one line, what is folded away. */
function Said({ channel }: { channel: Channel }) {
  const parts = [
    channel.scaling.length > 0 &&
      `${channel.scaling.length} more ${channel.scaling.length === 1 ? "step" : "steps"} of scaling`,
    channel.filter.length > 0 && `filtered (${channel.filter.map((one) => one.kind).join(", ")})`,
    channel.thinning && "thinned out",
    limitsSaid(channel.limits),
    channel.calibration?.due && `calibration due ${channel.calibration.due}`,
  ].filter(Boolean);
  if (!parts.length) return null;
  return <div style={{ color: "var(--quiet)", fontSize: 13, marginTop: 4 }}>{parts.join("; ")}</div>;
}

/** What becomes a channel: its name, unit, scaling, filters, limits and calibration. */
export function ChannelsStage({
  setup,
  change,
  rows,
  onText,
}: {
  setup: Setup;
  change: (changes: Partial<Setup>) => void;
  rows: PreviewRow[];
  onText: () => void;
}) {
  const [open, setOpen] = useState("");
  const known = useLive(({ status }) => status?.channels.map((one) => one.id).join(" ") ?? "").split(" ");
  const sources = sourcesOf(setup, rows);
  const unused = sources.filter(
    (source) =>
      !setup.channel.some(
        (channel) =>
          channel.field === source.field &&
          (source.query === null || (channel.query ?? null) === source.query),
      ),
  );
  const set = (index: number, part: Partial<Channel>): void =>
    change({ channel: setup.channel.map((one, n) => (n === index ? { ...one, ...part } : one)) });
  return (
    <>
      {setup.channel.map((channel, index) => (
        <Row key={channel.id}>
          <Fields>
            <Entry
              label="Channel"
              value={channel.name}
              onChange={(name) => set(index, { name })}
              width={150}
            />
            {kindOf(channel) === "a number" && (
              <Entry
                label="Unit"
                value={channel.unit}
                onChange={(unit) => set(index, { unit })}
                width={90}
                among={UNITS}
              />
            )}
            <Select
              label="made from"
              value={channel.field}
              options={[...new Set([channel.field, ...sources.map((source) => source.field)])]}
              onChange={(field) => {
                const source = sources.find((one) => one.field === field);
                set(index, { field, query: source?.query ?? channel.query });
              }}
              width={110}
            />
            {kindOf(channel) === "a state" && (
              <StateFields channel={channel} rows={rows} set={(part) => set(index, part)} />
            )}
            {kindOf(channel) !== "a state" && (
              <>
                <NumberEntry
                  label={channel.clock ? "× (seconds)" : "×"}
                  value={channel.scale}
                  onValue={(scale) => set(index, { scale: scale ?? 1 })}
                  width={70}
                />
                <NumberEntry
                  label="+"
                  value={channel.offset}
                  onValue={(offset) => set(index, { offset: offset ?? 0 })}
                  width={70}
                />
                <NumberEntry
                  label="Decimals"
                  value={channel.decimals}
                  onValue={(decimals) => set(index, { decimals: decimals ?? 0 })}
                  least={0}
                  most={9}
                  whole
                  width={68}
                />
              </>
            )}
            <Chip
              style={{ minHeight: 34 }}
              $chosen={open === channel.id}
              aria-expanded={open === channel.id}
              aria-label={`more of ${channel.name}`}
              onPress={() => setOpen(open === channel.id ? "" : channel.id)}
            >
              more
            </Chip>
            <Chip
              style={{ minHeight: 34 }}
              aria-label={`Remove ${channel.name}`}
              onPress={() => change({ channel: setup.channel.filter((_, n) => n !== index) })}
            >
              Remove
            </Chip>
          </Fields>
          {open === channel.id ? (
            <ChannelMore
              channel={channel}
              value={valueOf(rows, channel)}
              rows={rows}
              inForce={known.includes(channel.id)}
              registers={setup.modbus?.registers.filter((one) => one.writable).map((one) => one.name) ?? []}
              set={(part) => set(index, part)}
            />
          ) : (
            <Said channel={channel} />
          )}
        </Row>
      ))}
      {unused.length > 0 && (
        <div style={{ display: "flex", flexWrap: "wrap", gap: 6, alignItems: "center" }}>
          <span style={{ color: "var(--quiet)" }}>Make a channel of</span>
          {unused.slice(0, 30).map((source) => (
            <Chip
              key={`${source.query ?? ""} ${source.field}`}
              onPress={() => change({ channel: [...setup.channel, freshChannel(setup, source, rows)] })}
            >
              {source.field}
            </Chip>
          ))}
        </div>
      )}
      {!setup.channel.length && !unused.length && (
        <p style={{ color: "var(--quiet)" }}>
          Say first how the messages read: channels are made from their fields.
        </p>
      )}
      <details>
        <summary style={{ cursor: "pointer", fontWeight: 600 }}>
          The instrument itself: warming up, calibration
        </summary>
        <div style={{ display: "grid", gap: 10, padding: "8px 0" }}>
          <Fields>
            <NumberEntry
              label="Warms up for, s"
              value={setup.instrument.warm_up_s}
              onValue={(warm_up_s) =>
                change({ instrument: { ...setup.instrument, warm_up_s: warm_up_s ?? 0 } })
              }
              width={120}
              least={0}
            />
          </Fields>
          <CalibrationFields
            calibration={setup.instrument.calibration ?? null}
            unit={null}
            onChange={(calibration) => change({ instrument: { ...setup.instrument, calibration } })}
          />
        </div>
      </details>
      <div>
        <Button style={{ minHeight: 32 }} onPress={onText}>
          Edit as text
        </Button>
      </div>
    </>
  );
}
