import { useState } from "react";
import type { Port } from "../api/client";
import { Button } from "../parts/Button";
import { Entry } from "../parts/Select";
import { Actions, Window } from "../parts/Window";
import { portName } from "./LinkForm";

export type Finding =
  | { step: "unplug"; before: string[] }
  | { step: "plug in"; gone: string; before: string[] }
  | { step: "found"; name: string };

/** What the ports that are there now mean for the search; the same finding where they mean nothing new. */
export function findOn(finding: Finding, now: string[]): Finding {
  if (finding.step === "unplug") {
    const gone = finding.before.find((name) => !now.includes(name));
    if (gone !== undefined) return { step: "plug in", gone, before: now };
    // Plugged in instead of unplugged: that finds it as well.
    const fresh = now.find((name) => !finding.before.includes(name));
    return fresh === undefined ? finding : { step: "found", name: fresh };
  }
  if (finding.step === "plug in") {
    const fresh = now.find((name) => !finding.before.includes(name));
    return fresh === undefined ? finding : { step: "found", name: fresh };
  }
  return finding;
}

export interface FindPortProps {
  ports: Port[];
  onClose: () => void;
  onLabel: (port: string, label: string) => void;
  onAdd: (port: string) => void;
}

/** "Unplug it now, plug it in again": the port that went and came is the one. */
export function FindPort({ ports, onClose, onLabel, onAdd }: FindPortProps) {
  const names = ports.map((port) => port.name);
  const key = names.join("\n");
  const [finding, setFinding] = useState<Finding>({ step: "unplug", before: names });
  const [label, setLabel] = useState("");
  const [seen, setSeen] = useState(key);
  if (seen !== key) {
    setSeen(key);
    setFinding(findOn(finding, names));
  }
  const found = finding.step === "found" ? ports.find((port) => port.name === finding.name) : undefined;
  return (
    <Window title="Find my port" open onClose={onClose}>
      {finding.step === "unplug" && (
        <p role="status">
          <b>Unplug the adapter now.</b> The port that vanishes is yours. (Not plugged in yet? Then plug it
          in.)
        </p>
      )}
      {finding.step === "plug in" && (
        <p role="status">
          <b>{finding.gone}</b> has vanished. <b>Plug it in again</b>, to see what it is called then.
        </p>
      )}
      {finding.step === "found" && (
        <>
          <p role="status">
            It is <b>{found ? portName(found) : finding.name}</b>
            {found?.product ? `, ${found.product}` : ""}.
          </p>
          <Entry
            label="A label of your own, to know it next time"
            value={label}
            onChange={setLabel}
            placeholder="flow, blue adapter"
          />
        </>
      )}
      <Actions>
        <Button onPress={onClose}>Close</Button>
        {finding.step === "found" && (
          <>
            {label && (
              <Button
                onPress={() => {
                  onLabel(finding.name, label);
                  onClose();
                }}
              >
                Keep the label
              </Button>
            )}
            <Button
              $kind="bright"
              onPress={() => {
                if (label) onLabel(finding.name, label);
                onAdd(finding.name);
              }}
            >
              Add an instrument here
            </Button>
          </>
        )}
      </Actions>
    </Window>
  );
}
