import { type ReactNode, useId } from "react";
import styled from "styled-components";

export const Labelled = styled.div`
  display: grid;
  gap: 4px;
  min-width: 0;
  > label {
    font-size: 12.5px;
    color: var(--quiet);
    white-space: nowrap;
  }
  select,
  input {
    min-height: 34px;
    padding: 5px 9px;
    border: 1px solid var(--hairline);
    border-radius: var(--radius);
    background: var(--panel);
    min-width: 0;
    width: 100%;
    font-weight: 600;
  }
  select:disabled,
  input:disabled {
    opacity: 0.6;
  }
  input[aria-invalid="true"] {
    border-color: var(--fault);
  }
  .wrong {
    color: var(--fault);
    font-size: 12.5px;
    line-height: 1.2;
    max-width: 22ch;
  }
`;

export interface SelectProps<T extends string> {
  label: string;
  value: T;
  options: readonly (T | { value: T; text: string })[];
  onChange: (value: T) => void;
  width?: number | string;
}

/** A labelled choice. */
export function Select<T extends string>({ label, value, options, onChange, width }: SelectProps<T>) {
  const id = useId();
  return (
    <Labelled style={{ width }}>
      <label htmlFor={id}>{label}</label>
      <select id={id} value={value} onChange={(event) => onChange(event.target.value as T)}>
        {options.map((option) => {
          const one = typeof option === "string" ? { value: option, text: option } : option;
          return (
            <option key={one.value} value={one.value}>
              {one.text}
            </option>
          );
        })}
      </select>
    </Labelled>
  );
}

export interface EntryProps {
  label: string;
  value: string;
  onChange: (value: string) => void;
  width?: number | string;
  /** Values to choose from; others may be typed. */
  among?: readonly string[] | undefined;
  mono?: boolean;
  placeholder?: string | undefined;
  invalid?: boolean;
  /** What is wrong, said below it. */
  wrong?: string;
  after?: ReactNode;
  inputMode?: "decimal" | undefined;
  onBlur?: () => void;
}

/** A labelled entry on one line. */
export function Entry({
  label,
  value,
  onChange,
  width,
  among,
  mono,
  placeholder,
  invalid,
  wrong,
  after,
  inputMode,
  onBlur,
}: EntryProps) {
  const id = useId();
  return (
    <Labelled style={{ width }}>
      <label htmlFor={id}>{label}</label>
      <span style={{ display: "flex", gap: 6, alignItems: "center" }}>
        <input
          id={id}
          value={value}
          list={among ? `${id}-list` : undefined}
          placeholder={placeholder}
          spellCheck={false}
          autoComplete="off"
          aria-invalid={invalid}
          aria-describedby={wrong ? `${id}-wrong` : undefined}
          inputMode={inputMode}
          onBlur={onBlur}
          style={mono ? { fontFamily: '"Atkinson Hyperlegible Mono Variable", monospace' } : undefined}
          onChange={(event) => onChange(event.target.value)}
        />
        {after}
      </span>
      {wrong && (
        <span className="wrong" id={`${id}-wrong`} role="alert">
          {wrong}
        </span>
      )}
      {among && (
        <datalist id={`${id}-list`}>
          {among.map((one) => (
            <option key={one} value={one} />
          ))}
        </datalist>
      )}
    </Labelled>
  );
}

/** A row of fields that wraps. */
export const Fields = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 10px 14px;
  align-items: end;
`;
