import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { FileTrigger } from "react-aria-components";
import { api, got } from "../api/client";
import { useAct } from "../api/useAct";
import { moment } from "../look/format";
import { Button, Chip } from "../parts/Button";
import { Field } from "../parts/Field";
import { Actions, Trouble, Window } from "../parts/Window";
import { lookAt } from "./actions";

export interface SetupTextProps {
  /** Whose set-up it is; absent for a new one. */
  instrumentKey?: string;
  /** The set-up as it is; empty for a new one. */
  text: string;
  onClose: () => void;
  onSaved: (key: string, sentence: string) => void;
}

/** A set-up as text: everything it can say, typed or from a file. */
export function SetupText({ text: old, instrumentKey, onClose, onSaved }: SetupTextProps) {
  const [text, setText] = useState(old);
  const { run, trouble, busy } = useAct();
  // What the text opens besides a port of this computer, once a person is asked about it.
  const [asked, setAsked] = useState("");
  const change = (value: string): void => {
    setText(value);
    setAsked("");
  };
  const save = (): void =>
    run(async () => {
      const { reach } = await lookAt(text);
      if (reach !== asked) {
        setAsked(reach);
        if (reach) return;
      }
      const saved = await got(api.POST("/api/setups", { body: { text, agreed: reach } }));
      onSaved(saved.key, saved.sentence);
    });
  return (
    <Window title={old ? "The set-up as text" : "A set-up from a file"} open onClose={onClose} wide>
      <p>
        A set-up travels as a <b>*.setup.toml</b> file. The guide has every key; what cannot be used is said
        with its line.
      </p>
      <Field label="Set-up (TOML)" value={text} onChange={change} lines />
      {trouble && <Trouble>{trouble}</Trouble>}
      {asked && (
        <Trouble>
          This set-up {asked}. Nothing is opened or sent yet. Go on only if you know where it comes from.
        </Trouble>
      )}
      {instrumentKey && <Versions instrumentKey={instrumentKey} onText={change} />}
      <Actions>
        <FileTrigger
          acceptedFileTypes={[".toml"]}
          onSelect={(files) => {
            void files?.[0]?.text().then(change);
          }}
        >
          <Button>Open a file</Button>
        </FileTrigger>
        <Button onPress={onClose}>Cancel</Button>
        <Button $kind="bright" isDisabled={!text.trim() || busy} onPress={save}>
          {asked ? "I agree: keep and connect" : "Keep and connect"}
        </Button>
      </Actions>
    </Window>
  );
}

/** The versions there were, each with what it changed; any may be taken up again. */
function Versions({ instrumentKey, onText }: { instrumentKey: string; onText: (text: string) => void }) {
  const [open, setOpen] = useState(false);
  const found = useQuery({
    queryKey: ["versions", instrumentKey],
    queryFn: () =>
      got(api.GET("/api/instruments/{key}/versions", { params: { path: { key: instrumentKey } } })),
    enabled: open,
    retry: false,
  });
  if (!open)
    return (
      <div>
        <Chip aria-expanded={false} onPress={() => setOpen(true)}>
          versions, and what changed …
        </Chip>
      </div>
    );
  return (
    <ol
      aria-label="Versions"
      style={{
        listStyle: "none",
        margin: 0,
        padding: 0,
        display: "grid",
        gap: 8,
        maxHeight: 220,
        overflow: "auto",
      }}
    >
      {(found.data ?? []).map((one) => (
        <li key={one.version}>
          <b>Version {one.version}</b>, {moment(one.saved_at / 1000)}{" "}
          <Chip onPress={() => onText(one.text)} aria-label={`take up version ${one.version}`}>
            take up
          </Chip>
          <pre style={{ margin: "2px 0 0", fontSize: 12.5, whiteSpace: "pre-wrap", color: "var(--quiet)" }}>
            {one.changes.join("\n") || "the first"}
          </pre>
        </li>
      ))}
    </ol>
  );
}
