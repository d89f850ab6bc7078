import { useState } from "react";
import { alike, useLive } from "../live/connection";
import { Button } from "../parts/Button";
import { Entry } from "../parts/Select";
import { Actions, Window } from "../parts/Window";

export interface NameWindowProps {
  instrument: { id: string; name: string; group: string };
  onClose: () => void;
  onSave: (changes: { name: string; group: string }) => void;
}

/** What an instrument is called, and what it stands together with. Its id stays. */
export function NameWindow({ instrument, onClose, onSave }: NameWindowProps) {
  const [name, setName] = useState(instrument.name);
  const [group, setGroup] = useState(instrument.group);
  const groups = useLive(
    ({ status }) => [...new Set(status?.instruments.map((one) => one.group).filter(Boolean) ?? [])],
    alike,
  );
  return (
    <Window title="Name and group" open onClose={onClose}>
      <form
        style={{ display: "grid", gap: 14 }}
        onSubmit={(event) => {
          event.preventDefault();
          onSave({ name: name.trim(), group: group.trim() });
          onClose();
        }}
      >
        <Entry label="Name" value={name} onChange={setName} />
        <Entry
          label="Group"
          value={group}
          onChange={setGroup}
          among={groups}
          placeholder="for example: stand 1"
        />
        <p style={{ color: "var(--quiet)" }}>
          Instruments of one group stand together. Its id stays {instrument.id}: earlier runs are still its
          own.
        </p>
        <Actions>
          <Button onPress={onClose}>Cancel</Button>
          <Button $kind="bright" type="submit" isDisabled={!name.trim()}>
            Save
          </Button>
        </Actions>
      </form>
    </Window>
  );
}
