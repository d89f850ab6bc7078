import { useState } from "react";
import styled from "styled-components";
import { api, type Channel, got, type RunStatus } from "../api/client";
import { useAct } from "../api/useAct";
import { figure } from "../look/format";
import { Button } from "../parts/Button";
import { Field } from "../parts/Field";
import { Fold } from "../parts/Fold";
import { useForm } from "../parts/formFields";
import { NumberEntry } from "../parts/NumberEntry";
import { Fields } from "../parts/Select";
import { SpanEntry } from "../parts/SpanEntry";
import { Tick } from "../parts/Tick";
import { Actions, Trouble, Window } from "../parts/Window";
import { keepOrder, lastOrder, type PointChannel, type Rule, ruleOf } from "./points";
import { type Given, missingIn, QuantityFields, whole } from "./QuantityFields";

const List = styled.div`
  display: grid;
  gap: 2px;
  max-height: 300px;
  overflow: auto;
  .line {
    display: grid;
    grid-template-columns: minmax(130px, 1fr) repeat(3, 118px);
    gap: 10px;
    align-items: end;
    padding: 3px 0;
    border-top: 1px solid var(--ruling);
  }
  .line > label:first-child {
    min-height: 40px;
  }
  @media (max-width: 620px) {
    .line {
      grid-template-columns: repeat(3, minmax(0, 1fr));
    }
    .line > label:first-child {
      grid-column: 1 / -1;
    }
  }
`;

export interface PointWindowProps {
  run: Pick<RunStatus, "points" | "operator">;
  /** How the run's plan has points taken. */
  rule: Rule | null;
  channels: Channel[];
  onClose: () => void;
}

/** Take a test point: wait until all is steady, average, and add a line to the run's table. */
export function PointWindow({ run, rule: planned, channels, onClose }: PointWindowProps) {
  const [last] = useState(lastOrder);
  const [rule, setRule] = useState<Rule>(() => known(planned ?? last.rule ?? ruleOf(channels), channels));
  const [sets, setSets] = useState<Given[]>(() =>
    last.sets.map((one) => ({ ...one, unit: one.unit ?? "", value: null })),
  );
  const [typed, setTyped] = useState<Given[]>(() =>
    last.typed.map((one) => ({ ...one, unit: one.unit ?? "", value: null })),
  );
  const [name, setName] = useState("");
  const [note, setNote] = useState("");
  const act = useAct();
  const fields = useForm();
  const chosen = Object.keys(rule.channels);
  const waitsFor = chosen.filter((id) => rule.channels[id]?.band != null);
  const missing =
    missingIn(sets) || missingIn(typed) || (chosen.length ? "" : "Choose a channel to average.");
  const take = (): void =>
    act.run(async () => {
      const order = {
        rule,
        name: name.trim(),
        note: note.trim(),
        by: run.operator,
        sets: whole(sets),
        typed: whole(typed),
      };
      await got(api.POST("/api/run/points", { body: order }));
      keepOrder(order);
      onClose();
    });
  const nameOf = (id: string): string => channels.find((one) => one.id === id)?.name ?? id;
  return (
    <Window title="Take a test point" open wide onClose={onClose}>
      {fields.within(
        <div style={{ display: "grid", gap: 14 }}>
          <Field
            label="Name"
            value={name}
            onChange={setName}
            longest={120}
            autoFocus
            placeholder="for example: valve 40 %"
          />
          <QuantityFields what="Set value" given={sets} onChange={setSets} example="for example: Valve" />
          <div>
            <Fold
              title="Waits for"
              summary={
                waitsFor.length
                  ? `${waitsFor.map(nameOf).join(", ")}: steady for ${figure(rule.steady_s ?? 10, 0)} s`
                  : "nothing: it averages at once"
              }
            >
              <Times rule={rule} onChange={setRule} />
            </Fold>
            <Fold
              title="Averages"
              summary={`${chosen.length} of ${channels.length} channels for ${rule.average_s ?? 10} s`}
            >
              <Channels rule={rule} onChange={setRule} channels={channels} />
            </Fold>
            <Fold title="Read by eye" summary={typed.map((one) => one.name).join(", ") || "nothing"}>
              <QuantityFields
                what="Reading"
                given={typed}
                onChange={setTyped}
                example="for example: Gauge glass"
              />
            </Fold>
            <Fold title="Note" summary={note || "none"}>
              <Field label="Note" value={note} onChange={setNote} longest={500} />
            </Fold>
          </div>
          {act.trouble && <Trouble>{act.trouble}</Trouble>}
          {missing && <p style={{ color: "var(--quiet)" }}>{missing}</p>}
          <Actions>
            <Button onPress={onClose}>Cancel</Button>
            <Button
              $kind="bright"
              onPress={take}
              isDisabled={act.busy || fields.wrong !== "" || missing !== ""}
            >
              Take the point
            </Button>
          </Actions>
        </div>,
      )}
    </Window>
  );
}

/** The rule without channels that are not on the bench, or have no mean. */
function known(rule: Rule, channels: readonly Channel[]): Rule {
  const able = new Set(channels.filter((one) => !one.clock && !one.states?.length).map((one) => one.id));
  const kept = Object.entries(rule.channels).filter(([id]) => able.has(id));
  return kept.length ? { ...rule, channels: Object.fromEntries(kept) } : ruleOf(channels);
}

interface PartProps {
  rule: Rule;
  onChange: (rule: Rule) => void;
}

function Times({ rule, onChange }: PartProps) {
  const span = (label: string, key: "steady_s" | "average_s" | "give_up_s") => (
    <SpanEntry
      label={label}
      value={rule[key]}
      onValue={(value) => value !== null && onChange({ ...rule, [key]: value })}
      least={0.1}
      most={86_400}
      units={["s", "min", "h"]}
    />
  );
  return (
    <>
      <Fields>
        {span("Steady for", "steady_s")}
        {span("then averages", "average_s")}
        {span("gives up after", "give_up_s")}
      </Fields>
      <p style={{ color: "var(--quiet)" }}>
        A channel with a band is waited for: it is steady while its highest and lowest lie within the band.
        Where it leaves that meanwhile, waiting begins again.
      </p>
    </>
  );
}

function Channels({ rule, onChange, channels }: PartProps & { channels: Channel[] }) {
  const set = (id: string, part: PointChannel | null): void => {
    const others = Object.entries(rule.channels).filter(([key]) => key !== id);
    const next = part === null ? others : [...others, [id, part] as const];
    // In the bench's order.
    const order = channels.map((one) => one.id);
    next.sort(([one], [other]) => order.indexOf(one) - order.indexOf(other));
    onChange({ ...rule, channels: Object.fromEntries(next) });
  };
  return (
    <List>
      {channels
        .filter((one) => !one.clock && !one.states?.length)
        .map((one) => {
          const part = rule.channels[one.id];
          const unit = one.unit ? `, ${one.unit}` : "";
          return (
            <div className="line" key={one.id}>
              <Tick on={part !== undefined} onChange={(on) => set(one.id, on ? { band: null } : null)}>
                {one.name}
              </Tick>
              {part && (
                <>
                  <NumberEntry
                    label={`Band${unit}`}
                    value={part.band}
                    onValue={(band) => set(one.id, { ...part, band })}
                    width={110}
                    least={1e-12}
                    empty
                  />
                  <NumberEntry
                    label={`At least${unit}`}
                    value={part.low}
                    onValue={(low) => set(one.id, { ...part, low })}
                    width={110}
                    empty
                  />
                  <NumberEntry
                    label={`At most${unit}`}
                    value={part.high}
                    onValue={(high) => set(one.id, { ...part, high })}
                    width={110}
                    empty
                  />
                </>
              )}
            </div>
          );
        })}
    </List>
  );
}
