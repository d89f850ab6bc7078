import { Link } from "react-router";
import styled from "styled-components";
import type { PreviewRow, Setup } from "../api/client";
import { Entry, Fields, Select } from "../parts/Select";
import { CalibrationFields } from "./CalibrationFields";
import { FilterFields } from "./FilterFields";
import { LimitFields } from "./LimitFields";
import { ScalingFields } from "./ScalingFields";
import { become, kindOf, KINDS, MarkFields } from "./StateFields";
import { NumberEntry } from "../parts/NumberEntry";

type Channel = Setup["channel"][number];

const Part = styled.div`
  display: grid;
  gap: 14px;
  padding: 10px 0 6px 14px;
  margin-top: 8px;
  border-left: 3px solid var(--ruling);
  h4 {
    margin: 0 0 6px;
    font-size: 14px;
  }
`;

export interface ChannelMoreProps {
  channel: Channel;
  /** The newest field, to show what becomes of it. */
  value: number | null;
  /** Registers the instrument can be written to. */
  registers: string[];
  /** It is on the bench: it can be calibrated. */
  inForce?: boolean;
  set: (part: Partial<Channel>) => void;
  rows?: PreviewRow[];
}

/** Everything else about a channel: scaling step by step, filters, zero, limits, calibration. */
export function ChannelMore({
  channel,
  value,
  registers,
  inForce = false,
  set,
  rows = [],
}: ChannelMoreProps) {
  const kind = kindOf(channel);
  const zero = channel.zero;
  const how = zero ? (zero.write != null ? "write a register" : "send a text") : "take off the value";
  return (
    <Part>
      <Fields>
        <Select
          label="It is"
          value={kind}
          options={KINDS}
          onChange={(next) => set(become(channel, next, rows))}
          width={190}
        />
        {channel.clock && (
          <NumberEntry
            label="Begins again after, s"
            value={channel.clock.wraps_s ?? null}
            onValue={(wraps_s) => set({ clock: { wraps_s } })}
            width={150}
            empty
          />
        )}
      </Fields>
      {kind === "a number" && (
        <>
          <section>
            <h4>Scaling, step by step</h4>
            <ScalingFields channel={channel} value={value} onChange={(scaling) => set({ scaling })} />
          </section>
          <section>
            <h4>Filters and thinning</h4>
            <FilterFields channel={channel} set={set} />
          </section>
          <section>
            <h4>Zero</h4>
            <Fields>
              <Select
                label="When zeroed"
                value={how}
                options={[
                  "take off the value",
                  "send a text",
                  ...(registers.length ? ["write a register"] : []),
                ]}
                onChange={(next) =>
                  set({
                    zero:
                      next === "send a text"
                        ? { send: "\r" }
                        : next === "write a register"
                          ? { write: registers[0] ?? "" }
                          : null,
                  })
                }
                width={170}
              />
              {zero?.send != null && (
                <Entry
                  label="Text that zeroes the instrument"
                  value={JSON.stringify(zero.send).slice(1, -1)}
                  onChange={(text) => {
                    try {
                      set({ zero: { send: JSON.parse(`"${text}"`) as string } });
                    } catch {
                      // An escape that is not finished yet.
                    }
                  }}
                  width={220}
                  mono
                />
              )}
              {zero?.write != null && (
                <Select
                  label="Register"
                  value={zero.write}
                  options={registers}
                  onChange={(write) => set({ zero: { write } })}
                  width={150}
                />
              )}
            </Fields>
          </section>
        </>
      )}
      <section>
        <h4>Limits{channel.unit && ` in ${channel.unit}`}</h4>
        <LimitFields limits={channel.limits} states={channel.states} onChange={(limits) => set({ limits })} />
      </section>
      {kind === "a state" && (
        <section>
          <h4>Sets a mark in the run when it becomes</h4>
          <MarkFields channel={channel} set={set} />
        </section>
      )}
      <section>
        <h4>Calibration of its sensor</h4>
        {kind === "a number" && inForce && (
          <p style={{ margin: "0 0 6px" }}>
            <Link to={`/calibrate/${channel.id}`}>Calibrate by points</Link>
          </p>
        )}
        <CalibrationFields
          calibration={channel.calibration ?? null}
          unit={channel.unit}
          onChange={(calibration) => set({ calibration })}
        />
      </section>
    </Part>
  );
}
