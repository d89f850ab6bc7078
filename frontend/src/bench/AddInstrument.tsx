import { useState } from "react";
import { FileTrigger } from "react-aria-components";
import { api, got } from "../api/client";
import { Button } from "../parts/Button";
import { Field } from "../parts/Field";
import { Actions, Trouble, Window } from "../parts/Window";

const EXAMPLE = `[instrument]
id = "my-meter"
name = "My meter"
talks = "when asked"

[link]
port = "/dev/ttyUSB0"
baud = 9600

[[query]]
id = "read"
send = "READ?\\r\\n"
every_s = 0.5
patterns = ["<value [V]>"]

[[channel]]
id = "my-meter-volts"
name = "Voltage"
field = "value"
unit = "V"
`;

export interface AddInstrumentProps {
  onClose: () => void;
  /** The port a new instrument is on. */
  port?: string;
  /** The set-up of an instrument that is to be changed. */
  old?: string;
}

/** An instrument comes in as a set-up: a file, or typed here; and is changed the same way. */
export function AddInstrument({ onClose, port, old }: AddInstrumentProps) {
  const [text, setText] = useState(old ?? (port ? EXAMPLE.replace("/dev/ttyUSB0", port) : EXAMPLE));
  const [trouble, setTrouble] = useState("");
  const [kept, setKept] = useState("");
  const save = async (): Promise<void> => {
    setTrouble("");
    try {
      const saved = await got(api.POST("/api/setups", { body: { text } }));
      if (saved.in_force) onClose();
      else setKept(saved.sentence);
    } catch (error) {
      setTrouble(error instanceof Error ? error.message : String(error));
    }
  };
  return (
    <Window title={old ? "Change the set-up" : "Add an instrument"} open onClose={onClose} wide>
      <p>
        A set-up says how the instrument is connected, what to ask it and how its replies read. Open a{" "}
        <b>*.setup.toml</b> file or change this one; the guide has every key.
      </p>
      <Field label="Set-up (TOML)" value={text} onChange={setText} lines />
      {trouble && <Trouble>{trouble}</Trouble>}
      {kept && <p role="status">{kept}</p>}
      <Actions>
        <FileTrigger
          acceptedFileTypes={[".toml"]}
          onSelect={(files) => {
            void files?.[0]?.text().then(setText);
          }}
        >
          <Button>Open a file</Button>
        </FileTrigger>
        <Button onPress={onClose}>Cancel</Button>
        <Button $kind="bright" onPress={() => void save()}>
          Keep and connect
        </Button>
      </Actions>
    </Window>
  );
}
