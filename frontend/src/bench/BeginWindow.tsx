import { useState } from "react";
import { CheckboxGroup, Label } from "react-aria-components";
import styled from "styled-components";
import { api, type Channel, got, type RunStatus } from "../api/client";
import { useAct } from "../api/useAct";
import { Button, Chip } from "../parts/Button";
import { Field } from "../parts/Field";
import { Fold } from "../parts/Fold";
import { useForm } from "../parts/formFields";
import { Entry, Fields } from "../parts/Select";
import { Tick } from "../parts/Tick";
import { Toggle } from "../parts/Toggle";
import { Actions, Trouble, Window } from "../parts/Window";
import { BeginFields } from "./BeginFields";
import { EndFields } from "./EndFields";
import { Glance } from "./Glance";
import {
  beginWords,
  endWords,
  lackingIn,
  operators,
  type Plan,
  remember,
  remembered,
  rowWords,
  waitsFor,
  without,
} from "./plan";
import { PointChannels, PointTimes } from "../points/PointRuleFields";
import { known, pointWords, type Rule } from "../points/points";
import { PlanChoice } from "./PlanChoice";
import { RowFields } from "./RowFields";

const LONGEST = 120;

const Choices = styled(CheckboxGroup)`
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(150px, 1fr));
  gap: 2px 12px;
  max-height: 220px;
  overflow: auto;
  .react-aria-Label {
    grid-column: 1 / -1;
    font-size: 13px;
    color: var(--quiet);
  }
`;

export interface BeginWindowProps {
  /** The bench's channels. */
  channels?: Channel[];
  onClose: () => void;
  onBegun: (run: RunStatus) => void;
}

/** Name a run, say how it is logged and what ends it, and begin it. */
export function BeginWindow({ channels = [], onClose, onBegun }: BeginWindowProps) {
  const [plan, setPlan] = useState(remembered);
  const [chosen, setChosen] = useState("");
  const [pressed, setPressed] = useState(false);
  const act = useAct();
  const fields = useForm();
  const set = (part: Partial<Plan>): void => setPlan((old) => ({ ...old, ...part }));
  const lacking = lackingIn(plan.ends, plan.begins);
  const waits = waitsFor(plan.begins) !== "person";
  const nameless = !plan.name.trim();
  const begin = (): void => {
    setPressed(true);
    if (nameless) return;
    act.run(async () => {
      if (waits) await got(api.POST("/api/armed", { body: plan }));
      else onBegun(await got(api.POST("/api/run", { body: plan })));
      remember(plan);
      onClose();
    });
  };
  const nameOf = (id: string): string => channels.find((one) => one.id === id)?.name ?? id;
  const logged = plan.channels.length
    ? `${plan.channels.length} of ${channels.length}: ${plan.channels.map(nameOf).join(", ")}`
    : channels.length
      ? `all ${channels.length}`
      : "none: the run keeps curves";
  const more = [
    plan.copy_to && `copied to ${plan.copy_to}`,
    plan.order && `order ${plan.order}`,
    plan.notes && "notes",
    ...Object.keys(plan.fields),
  ];
  return (
    <Window title="Begin a run" open wide onClose={onClose}>
      {fields.within(
        // No form that is sent with Enter: a barcode scanner ends what it types with one, and must not begin the run.
        <div style={{ display: "grid", gap: 14 }}>
          <Field
            label="Name"
            value={plan.name}
            onChange={(name) => set({ name })}
            required
            wrong={pressed && nameless ? "Give the run a name." : ""}
            longest={LONGEST}
            autoFocus
            placeholder="for example: Pump 7 acceptance"
          />
          <Particulars plan={plan} set={set} />
          <div>
            <Fold title="Plan" summary={chosen || "as the last run"}>
              <PlanChoice
                plan={plan}
                chosen={chosen}
                onChosen={(name, next) => {
                  setChosen(name);
                  setPlan(next);
                }}
              />
            </Fold>
            <Fold title="Rows of the CSV" summary={rowWords(plan.row_rule)}>
              <RowFields rule={plan.row_rule} onChange={(row_rule) => set({ row_rule })} />
            </Fold>
            <Fold title="Channels" summary={logged}>
              <ChannelChoice plan={plan} set={set} channels={channels} />
            </Fold>
            <Fold title="Begins" summary={beginWords(plan.begins, nameOf)}>
              <BeginFields
                begins={plan.begins}
                onChange={(begins) => set({ begins })}
                channels={channels.filter((one) => !one.clock)}
              />
            </Fold>
            <Fold title="Ends" summary={endWords(plan.ends, nameOf)}>
              <EndFields
                ends={plan.ends}
                onChange={(ends) => set({ ends })}
                channels={channels.filter((one) => !one.clock)}
              />
            </Fold>
            <Fold
              title="Test points"
              summary={
                plan.points ? `wait for ${pointWords(plan.points, nameOf)}` : "as the last one was taken"
              }
            >
              <PointPlan plan={plan} set={set} channels={channels} />
            </Fold>
            <Fold title="After a restart" summary={plan.carry_on ? "the run goes on" : "the run is closed"}>
              <Toggle on={plan.carry_on} onChange={(carry_on) => set({ carry_on })}>
                Carry on after Tidy Bench was stopped, or the power failed
              </Toggle>
            </Fold>
            <Fold title="More" summary={more.filter(Boolean).join(", ") || "order number, notes, fields"}>
              <More plan={plan} set={set} />
            </Fold>
          </div>
          {(act.trouble || lacking) && <Trouble>{act.trouble || lacking}</Trouble>}
          <Glance plan={plan} />
          <Actions>
            <Button onPress={onClose}>Cancel</Button>
            <Button
              $kind="bright"
              onPress={begin}
              isDisabled={act.busy || fields.wrong !== "" || lacking !== ""}
            >
              {waits ? "Arm the run" : "Begin logging"}
            </Button>
          </Actions>
        </div>,
      )}
    </Window>
  );
}

interface PartProps {
  plan: Plan;
  set: (part: Partial<Plan>) => void;
}

function Particulars({ plan, set }: PartProps) {
  return (
    <div style={{ display: "grid", gap: 14, gridTemplateColumns: "repeat(auto-fit, minmax(200px, 1fr))" }}>
      <Field label="Test item" value={plan.item} onChange={(item) => set({ item })} longest={LONGEST} />
      <Entry
        label="Operator"
        value={plan.operator}
        onChange={(operator) => set({ operator: operator.slice(0, LONGEST) })}
        among={operators()}
      />
    </div>
  );
}

function ChannelChoice({ plan, set, channels }: PartProps & { channels: Channel[] }) {
  const gone = plan.channels.filter((id) => !channels.some((one) => one.id === id));
  return (
    <>
      <Choices
        value={plan.channels.length ? plan.channels : channels.map((one) => one.id)}
        onChange={(chosen) =>
          // In the bench's order; all of them is the same as none chosen, so that new ones come along.
          set({
            channels:
              chosen.length === channels.length && !gone.length
                ? []
                : [...channels.filter((one) => chosen.includes(one.id)).map((one) => one.id), ...gone],
          })
        }
      >
        <Label>Have columns in the CSV. The others are kept with the run as samples, without a column.</Label>
        {channels.map((one) => (
          <Tick key={one.id} value={one.id}>
            {one.name}
          </Tick>
        ))}
      </Choices>
      {gone.length > 0 && (
        <Trouble>
          Not on the bench: {gone.join(", ")}.{" "}
          <Chip onPress={() => set({ channels: plan.channels.filter((id) => !gone.includes(id)) })}>
            leave out
          </Chip>
        </Trouble>
      )}
    </>
  );
}

function PointPlan({ plan, set, channels }: PartProps & { channels: Channel[] }) {
  const { points } = plan;
  const onChange = (rule: Rule): void => set({ points: rule });
  return (
    <>
      <Toggle on={points !== null} onChange={(on) => set({ points: on ? known(null, channels) : null })}>
        This run has its points taken in its own way
      </Toggle>
      {points && (
        <>
          <PointTimes rule={points} onChange={onChange} />
          <PointChannels rule={points} onChange={onChange} channels={channels} />
        </>
      )}
    </>
  );
}

function More({ plan, set }: PartProps) {
  const [name, setName] = useState("");
  const entries = Object.entries(plan.fields);
  const put = (key: string, text: string): void => set({ fields: { ...plan.fields, [key]: text } });
  const add = (): void => {
    put(name.trim(), "");
    setName("");
  };
  return (
    <>
      <Field label="Order number" value={plan.order} onChange={(order) => set({ order })} longest={LONGEST} />
      <Field
        label="Copy the finished run to a folder"
        value={plan.copy_to}
        onChange={(copy_to) => set({ copy_to })}
        longest={400}
        placeholder="for example: /mnt/results"
      />
      <Field label="Notes" value={plan.notes} onChange={(notes) => set({ notes })} longest={4000} lines />
      {entries.map(([key, text]) => (
        <Fields key={key}>
          <Entry label={key} value={text} onChange={(next) => put(key, next.slice(0, 400))} width={300} />
          <Button
            onPress={() => {
              set({ fields: without(plan.fields, key) });
            }}
          >
            Remove
          </Button>
        </Fields>
      ))}
      {entries.length < 40 && (
        <Fields>
          <Entry
            label="A field of your own"
            value={name}
            onChange={(next) => setName(next.slice(0, 80))}
            width={300}
            placeholder="its name, for example: Impeller"
          />
          <Button onPress={add} isDisabled={!name.trim() || name.trim() in plan.fields}>
            Add
          </Button>
        </Fields>
      )}
    </>
  );
}
