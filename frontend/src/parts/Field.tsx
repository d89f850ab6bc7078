import type { ReactNode } from "react";
import { FieldError, Input, Label, TextArea, TextField } from "react-aria-components";
import styled from "styled-components";
import { mono } from "../look/theme";

const Frame = styled(TextField)`
  display: grid;
  gap: 4px;
  label {
    font-size: 12.5px;
    color: var(--quiet);
  }
  input {
    font-weight: 600;
  }
  input,
  textarea {
    min-height: 34px;
    padding: 5px 9px;
    border: 1px solid var(--hairline);
    border-radius: var(--radius);
    background: var(--panel);
    width: 100%;
  }
  textarea {
    font: 13px/1.45 ${mono};
    min-height: 260px;
    resize: vertical;
  }
  .react-aria-FieldError {
    color: var(--fault);
    font-size: 13px;
  }
`;

export interface FieldProps {
  label: ReactNode;
  value: string;
  onChange: (value: string) => void;
  required?: boolean;
  /** What is wrong with it, said under it. */
  wrong?: string;
  longest?: number;
  placeholder?: string;
  /** Several lines; "few": of a text that is mostly short. */
  lines?: boolean | "few";
  autoFocus?: boolean;
}

/** A labelled text field. */
export function Field({
  label,
  value,
  onChange,
  required,
  wrong,
  longest,
  placeholder,
  lines,
  autoFocus,
}: FieldProps) {
  return (
    <Frame
      value={value}
      onChange={onChange}
      isRequired={required}
      isInvalid={wrong ? true : undefined}
      maxLength={longest}
      autoFocus={autoFocus}
    >
      <Label>{label}</Label>
      {lines ? (
        <TextArea
          spellCheck={false}
          placeholder={placeholder}
          style={lines === "few" ? { minHeight: 84 } : undefined}
        />
      ) : (
        <Input placeholder={placeholder} />
      )}
      {wrong ? <FieldError>{wrong}</FieldError> : <FieldError />}
    </Frame>
  );
}
