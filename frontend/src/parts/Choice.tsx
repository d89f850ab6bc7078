import { lazy, Suspense, useState } from "react";
import { Button } from "react-aria-components";
import styled from "styled-components";
import type { SelectProps } from "./Select";

const Select = lazy(() => import("./Select").then((part) => ({ default: part.Select<string> })));

const Closed = styled(Button)`
  display: flex;
  align-items: center;
  gap: 8px;
  min-height: 28px;
  padding: 0 7px;
  border: 1px solid var(--hairline);
  border-radius: 6px;
  background: var(--panel);
  font-weight: 600;
  font-size: 12.5px;
  text-align: left;
  cursor: pointer;
  &[data-hovered] {
    border-color: var(--action);
  }
  span {
    flex: 1;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  &::after {
    content: "▾";
    color: var(--quiet);
  }
`;

/** A small choice among others: a button, until it is pressed; what it opens comes then. */
export function Choice<T extends string>(props: Omit<SelectProps<T>, "small" | "defaultOpen">) {
  const [asked, setAsked] = useState(false);
  const { label, value, options, width, onChange } = props;
  const all = options.map((one) => (typeof one === "string" ? { value: one, text: one as string } : one));
  const text = all.find((one) => one.value === value)?.text ?? value;
  const closed = (
    <Closed
      aria-label={`${text} ${label}`}
      aria-haspopup="listbox"
      style={{ width }}
      onPress={() => setAsked(true)}
    >
      <span>{text}</span>
    </Closed>
  );
  if (!asked) return closed;
  return (
    <Suspense fallback={closed}>
      <Select
        label={label}
        value={value}
        options={all}
        onChange={(next) => onChange(next as T)}
        width={width}
        small
        defaultOpen
      />
    </Suspense>
  );
}
