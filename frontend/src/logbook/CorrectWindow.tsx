import { useState } from "react";
import { Form } from "react-aria-components";
import { api, got, type RunDetail, type Schemas } from "../api/client";
import { useAct } from "../api/useAct";
import { operators } from "../bench/plan";
import { Button, Chip } from "../parts/Button";
import { Field } from "../parts/Field";
import { Actions, Trouble, Window } from "../parts/Window";

type Said = Schemas["Said"];

const MOST_FIELDS = 40;

export const saidOf = (run: RunDetail): Required<Said> => ({
  name: run.name,
  item: run.item,
  operator: run.operator,
  order: run.order,
  notes: run.notes,
  fields: run.fields,
});

/** Correct what is said of a run that has ended. */
export function CorrectWindow({ run, onClose }: { run: RunDetail; onClose: () => void }) {
  const [before] = useState(() => saidOf(run));
  const [said, setSaid] = useState(before);
  const [own, setOwn] = useState(() => Object.entries(before.fields));
  const [by, setBy] = useState(() => operators()[0] ?? "");
  const [why, setWhy] = useState("");
  const act = useAct();
  const set = (key: "name" | "item" | "operator" | "order" | "notes") => (text: string) =>
    setSaid({ ...said, [key]: text });
  const named = own.filter(([name]) => name.trim() !== "");
  const twice = named.map(([name]) => name.trim()).find((name, n, all) => all.indexOf(name) !== n);
  const keep = (): void =>
    act.run(async () => {
      const fields = Object.fromEntries(named.map(([name, text]) => [name.trim(), text]));
      await got(
        api.PATCH("/api/runs/{key}/said", {
          params: { path: { key: run.id } },
          body: { said: { ...said, fields }, before, by, why },
        }),
      );
      onClose();
    });
  return (
    <Window title="Correct what is said of this run" open onClose={onClose} wide>
      <Form
        style={{ display: "grid", gap: 14 }}
        onSubmit={(event) => {
          event.preventDefault();
          keep();
        }}
      >
        <div
          style={{ display: "grid", gap: 14, gridTemplateColumns: "repeat(auto-fit, minmax(220px, 1fr))" }}
        >
          <Field label="Name" value={said.name} onChange={set("name")} required longest={120} autoFocus />
          <Field label="Test item" value={said.item} onChange={set("item")} longest={120} />
          <Field label="Operator" value={said.operator} onChange={set("operator")} longest={120} />
          <Field label="Order number" value={said.order} onChange={set("order")} longest={120} />
          {own.map(([name, text], n) => {
            const put = (next: [string, string]): void => setOwn(own.map((one, m) => (m === n ? next : one)));
            return n < Object.keys(before.fields).length ? (
              <Field key={n} label={name} value={text} onChange={(to) => put([name, to])} longest={400} />
            ) : (
              <div key={n} style={{ display: "grid", gridTemplateColumns: "1fr 1fr", gap: 8 }}>
                <Field label="Field" value={name} onChange={(to) => put([to, text])} longest={80} />
                <Field label="Text" value={text} onChange={(to) => put([name, to])} longest={400} />
              </div>
            );
          })}
        </div>
        <div>
          <Chip isDisabled={own.length >= MOST_FIELDS} onPress={() => setOwn([...own, ["", ""]])}>
            add a field
          </Chip>
        </div>
        <Field label="Notes" value={said.notes} onChange={set("notes")} lines="few" longest={4000} />
        <div style={{ display: "grid", gap: 14, gridTemplateColumns: "minmax(0, 1fr) minmax(0, 2fr)" }}>
          <Field label="Corrected by" value={by} onChange={setBy} longest={120} />
          <Field label="Why" value={why} onChange={setWhy} longest={500} />
        </div>
        <p style={{ color: "var(--quiet)" }}>
          The run stays as it was sealed. What stood here before is kept, with who corrected it and when.
        </p>
        {twice && <Trouble>There are two fields “{twice}”. Call one of them otherwise.</Trouble>}
        {act.trouble && <Trouble>{act.trouble}</Trouble>}
        <Actions>
          <Button onPress={onClose}>Cancel</Button>
          <Button $kind="bright" type="submit" isDisabled={act.busy || !said.name.trim() || !!twice}>
            Correct
          </Button>
        </Actions>
      </Form>
    </Window>
  );
}
