import { useState } from "react";
import { Entry } from "./Select";

/** An entry for several words on one line: what is typed stays as it is typed, the words are what it says. */
export function ListEntry({
  label,
  values,
  onValues,
  between = ",",
  width,
  placeholder,
  mono,
}: {
  label: string;
  values: readonly string[];
  onValues: (values: string[]) => void;
  between?: "," | " ";
  width: number;
  placeholder?: string;
  mono?: boolean;
}) {
  const joined = values.join(between === "," ? ", " : " ");
  const [text, setText] = useState(joined);
  const [kept, setKept] = useState(joined);
  if (kept !== joined) {
    setKept(joined);
    setText(joined);
  }
  return (
    <Entry
      label={label}
      value={text}
      width={width}
      placeholder={placeholder}
      mono={mono}
      onChange={(next) => {
        const words = next
          .split(between === "," ? "," : /\s+/)
          .map((one) => one.trim())
          .filter(Boolean);
        setText(next);
        setKept(words.join(between === "," ? ", " : " "));
        onValues(words);
      }}
    />
  );
}
