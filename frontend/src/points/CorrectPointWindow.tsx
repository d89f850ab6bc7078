import { useState } from "react";
import { api, got } from "../api/client";
import { useAct } from "../api/useAct";
import { dated } from "../look/format";
import { Button } from "../parts/Button";
import { Field } from "../parts/Field";
import { useForm } from "../parts/formFields";
import { Toggle } from "../parts/Toggle";
import { Actions, Trouble, Window } from "../parts/Window";
import { labelOf, type Point } from "./points";
import { type Given, missingIn, QuantityFields, whole } from "./QuantityFields";

export interface CorrectPointWindowProps {
  point: Point;
  /** What stood there before. */
  earlier: readonly Point[];
  onClose: () => void;
}

const given = (found: Point["sets"]): Given[] =>
  (found ?? []).map((one) => ({ ...one, unit: one.unit ?? "" }));

/** Correct what a person gave of a point. What was measured stays, and so do the earlier versions. */
export function CorrectPointWindow({ point, earlier, onClose }: CorrectPointWindowProps) {
  const [name, setName] = useState(point.name ?? "");
  const [note, setNote] = useState(point.note ?? "");
  const [sets, setSets] = useState(() => given(point.sets));
  const [typed, setTyped] = useState(() => given(point.typed));
  const [off, setOff] = useState(point.void ?? false);
  const act = useAct();
  const fields = useForm();
  const missing = missingIn(sets) || missingIn(typed);
  const correct = (): void =>
    act.run(async () => {
      const body = {
        number: point.number,
        version: point.version ?? 1,
        name: name.trim(),
        note: note.trim(),
        stage: point.stage ?? "",
        by: "",
      };
      await got(
        api.PATCH("/api/run/points", {
          body: { ...body, sets: whole(sets), typed: whole(typed), void: off },
        }),
      );
      onClose();
    });
  const before = earlier.filter((one) => one.number === point.number);
  return (
    <Window title={`Correct point ${point.number}`} open wide onClose={onClose}>
      {fields.within(
        <div style={{ display: "grid", gap: 14 }}>
          <Field label="Name" value={name} onChange={setName} longest={120} autoFocus />
          <QuantityFields what="Set value" given={sets} onChange={setSets} example="for example: Valve" />
          <QuantityFields
            what="Reading"
            given={typed}
            onChange={setTyped}
            example="for example: Gauge glass"
          />
          <Field label="Note" value={note} onChange={setNote} longest={500} />
          <Toggle on={off} onChange={setOff}>
            Take this point out: it stays in the table, and does not count
          </Toggle>
          {before.length > 0 && (
            <p style={{ color: "var(--quiet)" }}>
              Before:{" "}
              {before
                .map((one) =>
                  [one.name, ...(one.sets ?? []).concat(one.typed ?? []).map(words), one.note]
                    .filter(Boolean)
                    .join(", "),
                )
                .join(" → ")}
              . Taken {dated(point.at / 1000)}.
            </p>
          )}
          {(act.trouble || missing) && <Trouble>{act.trouble || missing}</Trouble>}
          <Actions>
            <Button onPress={onClose}>Cancel</Button>
            <Button
              $kind="bright"
              onPress={correct}
              isDisabled={act.busy || fields.wrong !== "" || missing !== ""}
            >
              Correct
            </Button>
          </Actions>
        </div>,
      )}
    </Window>
  );
}

const words = (one: { name: string; unit?: string | undefined; value: number }): string =>
  `${labelOf(one)} ${one.value}`;
