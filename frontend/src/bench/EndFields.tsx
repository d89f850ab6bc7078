import styled from "styled-components";
import type { Channel } from "../api/client";
import { connection } from "../live/connection";
import { clock } from "../look/format";
import { Button, Chip } from "../parts/Button";
import { NumberEntry } from "../parts/NumberEntry";
import { Entry, Fields, Select } from "../parts/Select";
import { SpanEntry } from "../parts/SpanEntry";
import { Tick } from "../parts/Tick";
import { type Condition, type Ends, without } from "./plan";

const Line = styled.div`
  display: grid;
  grid-template-columns: 150px minmax(0, 1fr);
  gap: 4px 12px;
  align-items: start;
  min-height: 34px;
  > label {
    min-height: 34px;
  }
  &:has(> :nth-child(2)) > label {
    margin-top: 21px;
  }
  @media (max-width: 560px) {
    grid-template-columns: minmax(0, 1fr);
    &:has(> :nth-child(2)) > label {
      margin-top: 0;
    }
  }
`;

const TIME = /^([01]?\d|2[0-3]):[0-5]\d(:[0-5]\d)?$/;

/** What a clock time is written like; null where it is none. */
export function timeOfDay(text: string): string | null {
  const found = text.trim();
  if (TIME.test(found))
    return found.padStart(found.length === 4 || found.length === 7 ? found.length + 1 : 0, "0");
  return /[+-]\d\d:?\d\d$|Z$/.test(found) && !Number.isNaN(Date.parse(found)) ? found : null;
}

/** The next full hour of the bench, an hour from now at the latest. */
const nextHour = (now: number): string => `${clock(now + 3_600_000).slice(0, 2)}:00`;

/** Which day a time of day means. */
export function dayOf(text: string, now: number): string {
  const found = timeOfDay(text);
  if (!found || found.length > 8) return "";
  return found > clock(now).slice(0, found.length) ? "today" : "tomorrow";
}

const SIDES: readonly Condition["side"][] = ["above", "below", "beyond its limits"];

export interface EndFieldsProps {
  ends: Ends;
  /** What is given for the clock time, as it is typed. */
  at: string;
  onAt: (text: string) => void;
  onChange: (ends: Ends) => void;
  /** The bench's channels, without clocks. */
  channels: Channel[];
}

/** What ends a run by itself: whatever comes first. */
export function EndFields({ ends, at, onAt, onChange, channels }: EndFieldsProps) {
  const set = (part: Partial<Ends>): void => onChange({ ...ends, ...part });
  const measured = channels.filter((one) => !one.states?.length);
  const first = measured[0];
  const ids = channels.map((one) => ({ value: one.id, text: one.name }));
  const when = (index: number, part: Partial<Condition>): void =>
    set({ when: ends.when.map((one, n) => (n === index ? { ...one, ...part } : one)) });
  return (
    <>
      <Line>
        <Tick on={ends.after_s != null} onChange={(on) => set({ after_s: on ? 600 : null })}>
          After a time
        </Tick>
        {ends.after_s != null && (
          <SpanEntry
            label="Ends after"
            value={ends.after_s}
            onValue={(after_s) => set({ after_s })}
            least={0.1}
            most={366 * 86_400}
          />
        )}
      </Line>
      <Line>
        <Tick on={ends.rows != null} onChange={(on) => set({ rows: on ? 1000 : null })}>
          After rows
        </Tick>
        {ends.rows != null && (
          <NumberEntry
            label="Rows"
            value={ends.rows}
            onValue={(rows) => set({ rows })}
            width={120}
            least={1}
            most={1e12}
            whole
          />
        )}
      </Line>
      <Line>
        <Tick
          on={ends.at != null}
          onChange={(on) => {
            const hour = on ? nextHour(connection.now()) : "";
            onAt(hour);
            set({ at: hour || null });
          }}
        >
          At a clock time
        </Tick>
        {ends.at != null && (
          <Entry
            label="Time of day, of the bench"
            value={at}
            width={190}
            after={<span style={{ whiteSpace: "nowrap" }}>{dayOf(at, connection.now())}</span>}
            invalid={timeOfDay(at) === null}
            wrong={timeOfDay(at) === null ? "Write it as 17:30." : ""}
            onChange={(text) => {
              onAt(text);
              const found = timeOfDay(text);
              if (found) set({ at: found });
            }}
          />
        )}
      </Line>
      <Line>
        <Tick
          on={ends.when.length > 0}
          isDisabled={!first}
          onChange={(on) =>
            set({ when: on && first ? [{ channel: first.id, side: "above", value: null, for_s: 0 }] : [] })
          }
        >
          On a level or limit
        </Tick>
        {ends.when.length > 0 && (
          <div style={{ display: "grid", gap: 8 }}>
            {ends.when.map((one, index) => (
              <Fields key={index}>
                <Select
                  label="Channel"
                  value={one.channel}
                  options={withIt(ids, one.channel)}
                  onChange={(channel) => when(index, { channel })}
                  width={150}
                />
                <Select
                  label="is"
                  value={one.side}
                  options={SIDES}
                  onChange={(side) =>
                    when(index, { side, value: side === "beyond its limits" ? null : (one.value ?? null) })
                  }
                  width={150}
                />
                {one.side !== "beyond its limits" && (
                  <NumberEntry
                    label={levelOf(channels.find((c) => c.id === one.channel))}
                    value={one.value}
                    onValue={(value) => when(index, { value })}
                    width={84}
                  />
                )}
                <SpanEntry
                  label="for"
                  value={one.for_s}
                  onValue={(for_s) => when(index, { for_s: for_s ?? 0 })}
                  least={0}
                  most={86_400}
                  units={["s", "min", "h"]}
                />
                {ends.when.length > 1 && (
                  <Button onPress={() => set({ when: ends.when.filter((_, n) => n !== index) })}>
                    Remove
                  </Button>
                )}
              </Fields>
            ))}
            {ends.when.length > 0 && ends.when.length < 16 && first && (
              <div>
                <Chip
                  onPress={() =>
                    set({ when: [...ends.when, { channel: first.id, side: "above", value: null, for_s: 0 }] })
                  }
                >
                  or another
                </Chip>
              </div>
            )}
          </div>
        )}
      </Line>
      <Line>
        <Tick
          on={ends.settled != null}
          isDisabled={!first}
          onChange={(on) =>
            set({ settled: on && first ? { bands: { [first.id]: bandOf(first) }, for_s: 20 } : null })
          }
        >
          When settled
        </Tick>
        {ends.settled && (
          <Settled settled={ends.settled} channels={measured} onChange={(settled) => set({ settled })} />
        )}
      </Line>
    </>
  );
}

const levelOf = (channel: Channel | undefined): string =>
  channel?.unit ? `Level, ${channel.unit}` : "Level";

/** The choices, with one that is not on the bench any more. */
const withIt = (ids: { value: string; text: string }[], id: string): { value: string; text: string }[] =>
  ids.some((one) => one.value === id) ? ids : [...ids, { value: id, text: `${id} (not on the bench)` }];

/** A band to begin with: the channel's own, or what its last digits allow. */
const bandOf = (channel: Channel): number =>
  channel.limits.settled_band ?? Number((10 * 10 ** -channel.decimals).toPrecision(1));

type SettledEnd = NonNullable<Ends["settled"]>;

function Settled({
  settled,
  channels,
  onChange,
}: {
  settled: SettledEnd;
  channels: Channel[];
  onChange: (settled: SettledEnd) => void;
}) {
  const { bands } = settled;
  const names = new Map(channels.map((one) => [one.id, one.name]));
  const free = channels.filter((one) => !(one.id in bands));
  return (
    <div style={{ display: "grid", gap: 8 }}>
      <Fields>
        <SpanEntry
          label="All stay within their band for"
          width={180}
          value={settled.for_s}
          onValue={(for_s) => onChange({ ...settled, for_s: for_s ?? 20 })}
          least={0.1}
          most={86_400}
          units={["s", "min", "h"]}
        />
        {free.length > 0 && (
          <Select
            label="One more channel"
            value="+"
            options={[
              { value: "+", text: "choose …" },
              ...free.map((one) => ({ value: one.id, text: one.name })),
            ]}
            onChange={(id) => {
              const found = channels.find((one) => one.id === id);
              if (found) onChange({ ...settled, bands: { ...bands, [id]: bandOf(found) } });
            }}
            width={170}
          />
        )}
      </Fields>
      {Object.entries(bands).map(([id, band]) => (
        <Fields key={id}>
          <NumberEntry
            label={`${names.get(id) ?? `${id} (not on the bench)`} within`}
            value={band}
            onValue={(value) => onChange({ ...settled, bands: { ...bands, [id]: value ?? band } })}
            width={190}
            least={1e-12}
          />
          {Object.keys(bands).length > 1 && (
            <Button
              onPress={() => {
                onChange({ ...settled, bands: without(bands, id) });
              }}
            >
              Remove
            </Button>
          )}
        </Fields>
      ))}
    </div>
  );
}
