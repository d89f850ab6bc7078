import { useState } from "react";
import { Form } from "react-aria-components";
import { api, got, type RunStatus, type Schemas } from "../api/client";
import { clock, moment } from "../look/format";
import { useAct } from "../api/useAct";
import { connection } from "../live/connection";
import { Button, Chip } from "../parts/Button";
import { useForm } from "../parts/formFields";
import { Field } from "../parts/Field";
import { Actions, Trouble, Window } from "../parts/Window";
import { ClockEntry, dayBefore, pastMoment } from "./ClockEntry";

export interface MarkWindowProps {
  run: Pick<RunStatus, "marks" | "operator">;
  onClose: () => void;
}

/** Write a mark. Its time is that of pressing M, not of finishing the sentence. */
export function MarkWindow({ run, onClose }: MarkWindowProps) {
  const { marks } = run;
  const [text, setText] = useState("");
  const [by, setBy] = useState(run.operator);
  // By a clock that nobody sets: how long ago it was pressed is all that is sent.
  const [pressed] = useState(() => performance.now());
  const [at] = useState(() => connection.now());
  const [chosen, setChosen] = useState<number | null>(null);
  const [other, setOther] = useState<string | null>(null);
  const fields = useForm();
  const act = useAct();
  const mark = (): void =>
    act.run(async () => {
      if (chosen === null)
        await got(
          api.POST("/api/run/marks", {
            body: { text, by, ago_ms: agoOf(other, pressed) },
          }),
        );
      else await got(api.PATCH("/api/run/marks", { body: { at: chosen, text } }));
      onClose();
    });
  return (
    <Window title={chosen === null ? "Mark this moment" : "Correct a mark"} open onClose={onClose}>
      {fields.within(
        <Form
          style={{ display: "grid", gap: 14 }}
          onSubmit={(event) => {
            event.preventDefault();
            mark();
          }}
        >
          <Field
            label="What happened"
            value={text}
            onChange={setText}
            required
            longest={500}
            autoFocus
            placeholder="for example: valve to 60 %"
          />
          {chosen === null && (
            <>
              <Field label="By" value={by} onChange={setBy} longest={120} />
              {other === null ? (
                <p style={{ color: "var(--quiet)" }}>
                  It marks {clock(at)}, when you pressed.{" "}
                  <Chip onPress={() => setOther(clock(at))}>another time</Chip>
                </p>
              ) : (
                <ClockEntry value={other} onValue={setOther} day={dayBefore} />
              )}
            </>
          )}
          {act.trouble && <Trouble>{act.trouble}</Trouble>}
          <Actions>
            <Button onPress={onClose}>Cancel</Button>
            <Button $kind="bright" type="submit" isDisabled={fields.wrong !== ""}>
              {chosen === null ? "Mark" : "Correct"}
            </Button>
          </Actions>
        </Form>,
      )}
      {marks.length > 0 && (
        <section>
          <h3>Marks of this run</h3>
          <ul style={{ listStyle: "none", margin: "6px 0 0", padding: 0, maxHeight: 180, overflow: "auto" }}>
            {marks.toReversed().map((one) => (
              <li key={one.at} style={{ display: "flex", gap: 8, alignItems: "center", padding: "2px 0" }}>
                <span style={{ color: "var(--quiet)", whiteSpace: "nowrap" }}>{moment(one.at / 1000)}</span>
                <span style={{ flex: 1, minWidth: 0, overflow: "hidden", textOverflow: "ellipsis" }}>
                  {one.text}
                </span>
                <Chip
                  aria-label={`correct ${one.text}`}
                  onPress={() => {
                    setChosen(one.at);
                    setText(one.text);
                  }}
                >
                  correct
                </Chip>
              </li>
            ))}
          </ul>
        </section>
      )}
    </Window>
  );
}

/** How long ago what is marked was, in milliseconds: of the press, or of another time of the bench. */
function agoOf(other: string | null, pressed: number): number {
  const moment = other === null ? null : pastMoment(other, connection.now());
  return Math.max(0, moment === null ? performance.now() - pressed : connection.now() - moment);
}

/** A run that waits is not to begin. */
export function CallOffWindow({ armed, onClose }: { armed: Schemas["ArmedStatus"]; onClose: () => void }) {
  const act = useAct();
  const off = (): void =>
    act.run(async () => {
      await got(api.DELETE("/api/armed/{armed}", { params: { path: { armed: armed.id } } }));
      onClose();
    });
  return (
    <Window title={`Call “${armed.name}” off?`} open onClose={onClose} asks>
      <p>It will not begin by itself. Nothing was written yet.</p>
      {act.trouble && <Trouble>{act.trouble}</Trouble>}
      <Actions>
        <Button onPress={onClose} autoFocus>
          Let it wait
        </Button>
        <Button $kind="bright" onPress={off} isDisabled={act.busy}>
          Call off
        </Button>
      </Actions>
    </Window>
  );
}

/** Ending a run cannot be taken back, so it asks. */
export function EndWindow({ run, onClose }: { run: RunStatus; onClose: (ended: boolean) => void }) {
  const act = useAct();
  const end = (): void =>
    act.run(async () => {
      await got(api.POST("/api/run/end", { body: { run: run.id } }));
      onClose(true);
    });
  return (
    <Window title={`End “${run.name}”?`} open onClose={() => onClose(false)} asks>
      <p>The file is closed and goes to the logbook. The instruments stay connected.</p>
      {act.trouble && <Trouble>{act.trouble}</Trouble>}
      <Actions>
        <Button onPress={() => onClose(false)} autoFocus>
          Go on logging
        </Button>
        <Button $kind="bright" onPress={end} isDisabled={act.busy}>
          End the run
        </Button>
      </Actions>
    </Window>
  );
}
