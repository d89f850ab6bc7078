import { useEffect, useId, useState } from "react";
import { useFormFields } from "./formFields";
import { parsed, type Range, wrongWith } from "./number";
import { Entry } from "./Select";

export interface NumberEntryProps extends Range {
  label: string;
  value: number | null | undefined;
  onValue: (value: number | null) => void;
  width: number;
  /** Values to choose from; others may be typed. */
  among?: readonly string[];
  placeholder?: string;
}

const words = (value: number | null | undefined): string => (value == null ? "" : String(value));

/**
 * A number that may be typed, with a decimal point or comma. It is taken while it is typed; what is no number, or out of range,
 * is not, says why, and keeps its form from being saved. Once it is left it shows what is in force.
 */
export function NumberEntry({
  label,
  value,
  onValue,
  width,
  among,
  placeholder,
  ...range
}: NumberEntryProps) {
  const id = useId();
  const { report, turn } = useFormFields();
  // What is being typed, with the number that it was typed over and the turn of its form.
  const [typed, setTyped] = useState<{ text: string; over: number | null; turn: number } | null>(null);
  const stands = value ?? null;
  // Another number in force, by a step that was moved, or Discard: what was typed is void.
  const mine = typed !== null && typed.over === stands && typed.turn === turn ? typed : null;
  const text = mine?.text ?? words(value);
  const wrong = mine ? wrongWith(mine.text, range) : "";
  useEffect(() => {
    report(id, wrong && `${label}: ${wrong}`);
    return () => report(id, "");
  }, [report, id, label, wrong]);
  const change = (next: string): void => {
    const good = !wrongWith(next, range);
    const number = good && next.trim() ? parsed(next) : null;
    setTyped({ text: next, over: good ? number : stands, turn });
    if (good && number !== stands) onValue(number);
  };
  return (
    <Entry
      label={label}
      value={text}
      width={width}
      invalid={wrong !== ""}
      wrong={wrong}
      among={among}
      placeholder={placeholder ?? (range.empty ? "none" : undefined)}
      inputMode="decimal"
      onChange={change}
      onBlur={() => !wrong && setTyped(null)}
    />
  );
}
