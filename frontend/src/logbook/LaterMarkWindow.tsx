import { useState } from "react";
import { Form } from "react-aria-components";
import { api, got, type RunDetail } from "../api/client";
import { useAct } from "../api/useAct";
import { dated } from "../look/format";
import { Button } from "../parts/Button";
import { Field } from "../parts/Field";
import { useForm } from "../parts/formFields";
import { SpanEntry } from "../parts/SpanEntry";
import { Toggle } from "../parts/Toggle";
import { Actions, Trouble, Window } from "../parts/Window";

export type Mark = RunDetail["marks"][number];

export interface LaterMarkWindowProps {
  run: Pick<RunDetail, "id" | "begun_at" | "ended_at" | "operator">;
  /** The mark that is corrected; null: another one is set. */
  mark: Mark | null;
  onClose: () => void;
}

/** Set or correct a mark of a run that has ended. */
export function LaterMarkWindow({ run, mark, onClose }: LaterMarkWindowProps) {
  const [text, setText] = useState(mark?.text ?? "");
  const [by, setBy] = useState(mark ? (mark.by ?? "") : run.operator);
  const [after, setAfter] = useState<number | null>(0);
  const [out, setOut] = useState(false);
  const fields = useForm();
  const act = useAct();
  const length = ((run.ended_at ?? run.begun_at) - run.begun_at) / 1e6;
  const at = run.begun_at + Math.round((after ?? 0) * 1e6);
  const keep = (): void =>
    act.run(async () => {
      const params = { path: { key: run.id } };
      if (mark)
        await got(
          api.PATCH("/api/runs/{key}/marks", {
            params,
            body: { at: mark.at, text, by, before: mark.text, void: out },
          }),
        );
      else await got(api.POST("/api/runs/{key}/marks", { params, body: { at, text, by } }));
      onClose();
    });
  return (
    <Window title={mark ? "Correct a mark" : "Set a mark in this run"} open onClose={onClose}>
      {fields.within(
        <Form
          style={{ display: "grid", gap: 14 }}
          onSubmit={(event) => {
            event.preventDefault();
            keep();
          }}
        >
          <Field label="What happened" value={text} onChange={setText} required longest={500} autoFocus />
          <Field label="By" value={by} onChange={setBy} longest={120} />
          {mark ? (
            <Toggle on={out} onChange={setOut}>
              Take this mark out: the history keeps it
            </Toggle>
          ) : (
            <div style={{ display: "flex", flexWrap: "wrap", gap: 12, alignItems: "flex-end" }}>
              <SpanEntry
                label="After the beginning"
                value={after}
                onValue={setAfter}
                least={0}
                most={length}
                width={130}
                units={["s", "min", "h", "d"]}
              />
              <span style={{ paddingBottom: 8, color: "var(--quiet)" }}>{dated(at / 1000)}</span>
            </div>
          )}
          <p style={{ color: "var(--quiet)" }}>
            The run stays as it was sealed. Marks of afterwards stand beside it, with who wrote them and when.
          </p>
          {act.trouble && <Trouble>{act.trouble}</Trouble>}
          <Actions>
            <Button onPress={onClose}>Cancel</Button>
            <Button
              $kind="bright"
              type="submit"
              isDisabled={fields.wrong !== "" || act.busy || (!mark && after === null)}
            >
              {mark ? (out ? "Take out" : "Correct") : "Set the mark"}
            </Button>
          </Actions>
        </Form>,
      )}
    </Window>
  );
}
