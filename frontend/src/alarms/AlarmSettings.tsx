import { useState } from "react";
import { Entry, Fields, Select } from "../parts/Select";
import { Button } from "../parts/Button";
import { Toggle } from "../parts/Toggle";
import { Actions, Window } from "../parts/Window";
import { beep, type Calls, noNotices, wanted, want } from "./calls";

const AGAIN = [
  { value: "10", text: "every 10 s" },
  { value: "30", text: "every 30 s" },
  { value: "120", text: "every 2 min" },
  { value: "0", text: "once" },
];

/** How this browser calls for a person: kept here, in this browser alone. */
export function AlarmSettings({ onClose }: { onClose: () => void }) {
  const [calls, setCalls] = useState(wanted);
  const set = (change: Partial<Calls>): void => void want(change).then(setCalls);
  const why = noNotices();
  return (
    <Window title="Alarms on this screen" open onClose={onClose}>
      <p>
        An alarm stands on every page until somebody has seen it. It can call as well; that is kept for this
        browser only.
      </p>
      <Toggle on={calls.sound} onChange={(sound) => set({ sound })}>
        Sound
      </Toggle>
      <Fields>
        <Select
          label="Sounds again until seen"
          value={String(calls.again)}
          options={AGAIN}
          onChange={(again) => set({ again: Number(again) })}
          width={180}
        />
        <Button onPress={beep}>Test the sound</Button>
      </Fields>
      <Toggle on={calls.notice} isDisabled={why !== ""} onChange={(notice) => set({ notice })}>
        Notices of the browser
      </Toggle>
      {why && <p style={{ color: "var(--quiet)" }}>{why}</p>}
      <Entry
        label="Who looks after this screen (stands beside what was seen)"
        value={calls.person}
        onChange={(person) => set({ person })}
        width="100%"
      />
      <Actions>
        <Button $kind="bright" onPress={onClose}>
          Close
        </Button>
      </Actions>
    </Window>
  );
}
