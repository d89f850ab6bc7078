import { useState } from "react";
import { Entry } from "./Select";

export interface NumberEntryProps {
  label: string;
  value: number | null | undefined;
  onValue: (value: number | null) => void;
  width: number;
  /** Whether it may be left empty. */
  empty?: boolean;
}

/** A number that may be typed: what is no number yet is not taken. */
export function NumberEntry({ label, value, onValue, width, empty }: NumberEntryProps) {
  const [text, setText] = useState(value == null ? "" : String(value));
  const wrong = text.trim() === "" ? !empty : !Number.isFinite(Number(text.replace(",", ".")));
  return (
    <Entry
      label={label}
      value={text}
      width={width}
      invalid={wrong}
      placeholder={empty ? "none" : undefined}
      onChange={(next) => {
        setText(next);
        const number = Number(next.replace(",", "."));
        if (next.trim() === "" && empty) onValue(null);
        else if (next.trim() !== "" && Number.isFinite(number)) onValue(number);
      }}
    />
  );
}
