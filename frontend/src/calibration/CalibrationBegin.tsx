import { useState } from "react";
import styled from "styled-components";
import { api, type Channel, got } from "../api/client";
import { useAct } from "../api/useAct";
import { blank, operators } from "../bench/plan";
import { connection } from "../live/connection";
import { Button } from "../parts/Button";
import { useForm } from "../parts/formFields";
import { NumberEntry } from "../parts/NumberEntry";
import { Entry, Fields, Select } from "../parts/Select";
import { SpanEntry } from "../parts/SpanEntry";
import { Trouble } from "../parts/Trouble";
import { canBeCalibrated, keepLastTime, lastTime } from "./calibration";

const TYPED = "typed at every point";

const Form = styled.div`
  display: grid;
  gap: 18px;
  max-width: 900px;
  h2 {
    font-size: 15px;
    margin-bottom: 4px;
  }
`;

export interface CalibrationBeginProps {
  channel: Channel;
  channels: Channel[];
}

/** What a calibration is made against, how far the channel may be off, and how its points are taken. */
export function CalibrationBegin({ channel, channels }: CalibrationBeginProps) {
  const [last, setLast] = useState(() => {
    const kept = lastTime(channel.id);
    const known = channels.some((one) => one.id === kept.reference);
    return {
      ...kept,
      reference: known ? kept.reference : null,
      band: kept.band ?? channel.limits.settled_band ?? null,
    };
  });
  const [operator, setOperator] = useState(() => operators()[0] ?? "");
  const [item, setItem] = useState("");
  const act = useAct();
  const fields = useForm();
  const set = (part: Partial<typeof last>): void => setLast({ ...last, ...part });
  const unit = channel.unit ? `, ${channel.unit}` : "";
  const references = channels.filter((one) => one.id !== channel.id && !one.clock && !one.states?.length);
  const begin = (): void =>
    act.run(async () => {
      const { reference, standard, reference_expanded, allowed, allowed_percent, band, steady_s, average_s } =
        last;
      const averaged = [[channel.id, { band }], ...(reference ? [[reference, { band: null }]] : [])] as const;
      const plan = {
        ...blank,
        name: `Calibration of ${channel.name}`.slice(0, 120),
        item: item.trim(),
        operator: operator.trim(),
        points: {
          channels: Object.fromEntries(averaged),
          steady_s,
          average_s,
          give_up_s: Math.max(300, 5 * (steady_s + average_s)),
        },
        calibrates: {
          channel: channel.id,
          reference,
          standard: standard.trim(),
          reference_expanded,
          allowed,
          allowed_percent,
        },
      };
      connection.began(await got(api.POST("/api/run", { body: plan })));
      keepLastTime(channel.id, last);
    });
  if (!canBeCalibrated(channel))
    return (
      <Trouble>
        {channel.name} is not measured by an instrument: it has no correction of its own. Calibrate the
        channels that it is made from.
      </Trouble>
    );
  return fields.within(
    <Form>
      <p>
        A calibration is a run: points as found against a reference, a correction made of them and taken into
        the set-up, points as left. All of it stays in the Logbook, with the samples.
      </p>
      <section>
        <h2>Against what</h2>
        <Fields>
          <Select
            label="The reference is"
            value={last.reference ?? ""}
            options={[
              { value: "", text: TYPED },
              ...references.map((one) => ({ value: one.id, text: `read from ${one.name}` })),
            ]}
            onChange={(reference) => set({ reference: reference || null })}
            width={250}
          />
          <Entry
            label="Name, serial number, certificate"
            value={last.standard}
            onChange={(standard) => set({ standard: standard.slice(0, 200) })}
            width={300}
            placeholder="for example: dead-weight tester 4, C-118"
          />
          <NumberEntry
            label={`Its uncertainty (k = 2)${unit}`}
            value={last.reference_expanded}
            onValue={(reference_expanded) => set({ reference_expanded })}
            width={180}
            least={0}
            empty
          />
        </Fields>
      </section>
      <section>
        <h2>How far it may be off</h2>
        <Fields>
          <NumberEntry
            label={`Allowed ±${unit}`}
            value={last.allowed}
            onValue={(allowed) => set({ allowed })}
            width={130}
            least={0}
            empty
          />
          <NumberEntry
            label="and ± % of the reference"
            value={last.allowed_percent}
            onValue={(allowed_percent) => set({ allowed_percent })}
            width={170}
            least={0}
            most={1000}
            empty
          />
        </Fields>
      </section>
      <section>
        <h2>How points are taken</h2>
        <Fields>
          <NumberEntry
            label={`Steady within${unit}`}
            value={last.band}
            onValue={(band) => set({ band })}
            width={130}
            least={1e-12}
            empty
          />
          <SpanEntry
            label="for"
            value={last.steady_s}
            onValue={(steady_s) => steady_s !== null && set({ steady_s })}
            least={0.1}
            most={86_400}
            units={["s", "min", "h"]}
          />
          <SpanEntry
            label="then averages"
            value={last.average_s}
            onValue={(average_s) => average_s !== null && set({ average_s })}
            least={0.1}
            most={86_400}
            units={["s", "min", "h"]}
          />
        </Fields>
        {last.band === null && (
          <p style={{ color: "var(--quiet)" }}>Without a band a point averages at once.</p>
        )}
      </section>
      <Fields>
        <Entry
          label="Operator"
          value={operator}
          onChange={(text) => setOperator(text.slice(0, 120))}
          width={180}
        />
        <Entry
          label="Sensor or order"
          value={item}
          onChange={(text) => setItem(text.slice(0, 120))}
          width={220}
          placeholder="for example: PT-11"
        />
      </Fields>
      {act.trouble && <Trouble>{act.trouble}</Trouble>}
      <div>
        <Button $kind="bright" onPress={begin} isDisabled={act.busy || fields.wrong !== ""}>
          Begin the calibration
        </Button>
      </div>
    </Form>,
  );
}
