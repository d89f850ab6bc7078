import { useState } from "react";
import { FileTrigger } from "react-aria-components";
import { api, got, said } from "../api/client";
import { Button } from "../parts/Button";
import { Field } from "../parts/Field";
import { Actions, Trouble, Window } from "../parts/Window";

export interface SetupTextProps {
  /** The set-up as it is; empty for a new one. */
  text: string;
  onClose: () => void;
  onSaved: (key: string, sentence: string) => void;
}

/** A set-up as text: everything it can say, typed or from a file. */
export function SetupText({ text: old, onClose, onSaved }: SetupTextProps) {
  const [text, setText] = useState(old);
  const [trouble, setTrouble] = useState("");
  const save = async (): Promise<void> => {
    setTrouble("");
    try {
      const saved = await got(api.POST("/api/setups", { body: { text } }));
      onSaved(saved.key, saved.sentence);
    } catch (error) {
      setTrouble(said(error));
    }
  };
  return (
    <Window title={old ? "The set-up as text" : "A set-up from a file"} open onClose={onClose} wide>
      <p>
        A set-up travels as a <b>*.setup.toml</b> file. The guide has every key; what cannot be used is said
        with its line.
      </p>
      <Field label="Set-up (TOML)" value={text} onChange={setText} lines />
      {trouble && <Trouble>{trouble}</Trouble>}
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
        <Button $kind="bright" isDisabled={!text.trim()} onPress={() => void save()}>
          Keep and connect
        </Button>
      </Actions>
    </Window>
  );
}
