import { useState } from "react";
import { escaped, unescaped } from "./escapes";
import { Entry } from "./Select";

/** An entry for bytes: escapes as they are typed, bytes as they are kept. */
export function BytesEntry({
  label,
  value,
  onChange,
  width,
  placeholder,
}: {
  label: string;
  value: string;
  onChange: (bytes: string) => void;
  width: number;
  placeholder?: string;
}) {
  const [text, setText] = useState(escaped(value));
  const [wrong, setWrong] = useState(false);
  const [kept, setKept] = useState(value);
  if (kept !== value) {
    setKept(value);
    setText(escaped(value));
  }
  return (
    <Entry
      label={label}
      value={text}
      mono
      width={width}
      placeholder={placeholder}
      invalid={wrong}
      onChange={(next) => {
        setText(next);
        try {
          const bytes = unescaped(next);
          setWrong(false);
          setKept(bytes);
          onChange(bytes);
        } catch {
          setWrong(true);
        }
      }}
    />
  );
}
