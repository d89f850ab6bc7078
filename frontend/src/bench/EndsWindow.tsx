import { useState } from "react";
import { Form } from "react-aria-components";
import { api, type Channel, got, type RunStatus } from "../api/client";
import { useAct } from "../api/useAct";
import { Button } from "../parts/Button";
import { useForm } from "../parts/formFields";
import { Actions, Trouble, Window } from "../parts/Window";
import { EndFields } from "./EndFields";
import { lackingIn } from "./plan";

export interface EndsWindowProps {
  run: RunStatus;
  channels: Channel[];
  onClose: () => void;
}

/** What ends the run in progress: later, sooner, otherwise. */
export function EndsWindow({ run, channels, onClose }: EndsWindowProps) {
  const [ends, setEnds] = useState(run.ends);
  const act = useAct();
  const fields = useForm();
  const change = (): void =>
    act.run(async () => {
      await got(api.PUT("/api/run/ends", { body: { run: run.id, ends } }));
      onClose();
    });
  return (
    <Window title={`When “${run.name}” ends`} open wide onClose={onClose}>
      {fields.within(
        <Form
          style={{ display: "grid", gap: 12 }}
          onSubmit={(event) => {
            event.preventDefault();
            change();
          }}
        >
          <p style={{ color: "var(--quiet)" }}>
            Whatever comes first ends it; with nothing chosen it goes on until a person ends it.
          </p>
          <EndFields ends={ends} onChange={setEnds} channels={channels.filter((one) => !one.clock)} />
          {(act.trouble || lackingIn(ends)) && <Trouble>{act.trouble || lackingIn(ends)}</Trouble>}
          <Actions>
            <Button onPress={onClose}>Cancel</Button>
            <Button
              $kind="bright"
              type="submit"
              isDisabled={act.busy || fields.wrong !== "" || lackingIn(ends) !== ""}
            >
              Apply
            </Button>
          </Actions>
        </Form>,
      )}
    </Window>
  );
}
