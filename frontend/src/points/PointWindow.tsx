import { useState } from "react";
import { api, type Channel, got, type RunStatus } from "../api/client";
import { useAct } from "../api/useAct";
import { Button } from "../parts/Button";
import { Field } from "../parts/Field";
import { Fold } from "../parts/Fold";
import { useForm } from "../parts/formFields";
import { Actions, Trouble, Window } from "../parts/Window";
import { PointChannels, PointTimes } from "./PointRuleFields";
import { keepOrder, known, lastOrder, pointWords, type Rule } from "./points";
import { type Given, missingIn, QuantityFields, whole } from "./QuantityFields";

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
  const [rule, setRule] = useState<Rule>(() => known(planned ?? last.rule, channels));
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
  const missing =
    missingIn(sets) || missingIn(typed) || (chosen.length ? "" : "Choose a channel to average.");
  const take = (): void =>
    act.run(async () => {
      const order = {
        rule,
        name: name.trim(),
        note: note.trim(),
        stage: "" as const,
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
            <Fold title="Waits for" summary={pointWords(rule, nameOf)}>
              <PointTimes rule={rule} onChange={setRule} />
            </Fold>
            <Fold
              title="Averages"
              summary={`${chosen.length} of ${channels.length} channels for ${rule.average_s ?? 10} s`}
            >
              <PointChannels rule={rule} onChange={setRule} channels={channels} />
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
