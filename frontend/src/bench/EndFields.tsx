import styled from "styled-components";
import type { Channel } from "../api/client";
import { connection } from "../live/connection";
import { Button, Chip } from "../parts/Button";
import { NumberEntry } from "../parts/NumberEntry";
import { Fields, Select } from "../parts/Select";
import { SpanEntry } from "../parts/SpanEntry";
import { Tick } from "../parts/Tick";
import { ClockEntry, nextHour } from "./ClockEntry";
import { ConditionFields, onLevel } from "./ConditionFields";
import { type Ends, without } from "./plan";

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

export interface EndFieldsProps {
  ends: Ends;
  onChange: (ends: Ends) => void;
  /** The bench's channels, without clocks. */
  channels: Channel[];
}

/** What ends a run by itself: whatever comes first. */
export function EndFields({ ends, onChange, channels }: EndFieldsProps) {
  const set = (part: Partial<Ends>): void => onChange({ ...ends, ...part });
  const measured = channels.filter((one) => !one.states?.length);
  const first = measured[0];
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
        <Tick on={ends.at != null} onChange={(on) => set({ at: on ? nextHour(connection.now()) : null })}>
          At a clock time
        </Tick>
        {ends.at != null && <ClockEntry value={ends.at} onValue={(at) => set({ at })} />}
      </Line>
      <Line>
        <Tick
          on={ends.when.length > 0}
          isDisabled={!first}
          onChange={(on) => set({ when: on && first ? [onLevel(first)] : [] })}
        >
          On a level or limit
        </Tick>
        {ends.when.length > 0 && (
          <div style={{ display: "grid", gap: 8 }}>
            {ends.when.map((one, index) => (
              <ConditionFields
                key={index}
                condition={one}
                onChange={(next) => set({ when: ends.when.map((old, n) => (n === index ? next : old)) })}
                channels={channels}
              >
                {ends.when.length > 1 && (
                  <Button onPress={() => set({ when: ends.when.filter((_, n) => n !== index) })}>
                    Remove
                  </Button>
                )}
              </ConditionFields>
            ))}
            {ends.when.length > 0 && ends.when.length < 16 && first && (
              <div>
                <Chip onPress={() => set({ when: [...ends.when, onLevel(first)] })}>or another</Chip>
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

/** A band to begin with: the one by which its readout says that it has settled. */
const bandOf = (channel: Channel): number => channel.limits.band;

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
