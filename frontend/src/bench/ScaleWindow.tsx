import { useState } from "react";
import { Form } from "react-aria-components";
import { Button } from "../parts/Button";
import { useForm } from "../parts/formFields";
import { NumberEntry } from "../parts/NumberEntry";
import { Fields } from "../parts/Select";
import { Actions, Trouble, Window } from "../parts/Window";
import type { LaneSpec } from "./lanes";

export interface ScaleWindowProps {
  lane: LaneSpec;
  onScale: (scale: [number, number] | null) => void;
  onClose: () => void;
}

/** Both ends of a lane's scale: what can be typed at the lane itself too, where it has room. */
export function ScaleWindow({ lane, onScale, onClose }: ScaleWindowProps) {
  const [from, setFrom] = useState(lane.scale?.[0] ?? null);
  const [to, setTo] = useState(lane.scale?.[1] ?? null);
  const fields = useForm();
  const wrong =
    (from === null) !== (to === null)
      ? "Give both ends, or neither for an automatic scale."
      : from !== null && to !== null && from >= to
        ? "The lower end must be below the upper one."
        : from !== null && lane.log && from <= 0
          ? "A logarithmic scale has no zero: give a lower end above 0."
          : "";
  return (
    <Window title={`Scale of ${lane.unit || "this lane"}`} open onClose={onClose}>
      {fields.within(
        <Form
          style={{ display: "grid", gap: 14 }}
          onSubmit={(event) => {
            event.preventDefault();
            onScale(from === null || to === null ? null : [from, to]);
            onClose();
          }}
        >
          <Fields>
            <NumberEntry
              label="From"
              value={from}
              onValue={setFrom}
              width={140}
              empty
              placeholder="automatic"
            />
            <NumberEntry label="To" value={to} onValue={setTo} width={140} empty placeholder="automatic" />
          </Fields>
          {wrong && <Trouble>{wrong}</Trouble>}
          <Actions>
            <Button onPress={onClose}>Cancel</Button>
            <Button $kind="bright" type="submit" isDisabled={wrong !== "" || fields.wrong !== ""}>
              Apply
            </Button>
          </Actions>
        </Form>,
      )}
    </Window>
  );
}
