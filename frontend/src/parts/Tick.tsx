import type { ReactNode } from "react";
import { Checkbox } from "react-aria-components";
import styled from "styled-components";

const Frame = styled(Checkbox)`
  display: inline-flex;
  gap: 8px;
  align-items: center;
  min-height: 28px;
  cursor: pointer;
  .box {
    flex: none;
    width: 18px;
    height: 18px;
    border-radius: 4px;
    border: 2px solid var(--action);
    display: grid;
    place-items: center;
    color: var(--panel);
    font: 700 13px/1 sans-serif;
  }
  &[data-selected] .box {
    background: var(--action);
  }
  &[data-selected] .box::before {
    content: "✓";
  }
  &[data-focus-visible] .box {
    outline: 3px solid var(--action);
    outline-offset: 2px;
  }
  &[data-disabled] {
    color: var(--quiet);
    cursor: default;
  }
`;

export interface TickProps {
  children: ReactNode;
  value?: string;
  on?: boolean;
  onChange?: (on: boolean) => void;
  isDisabled?: boolean;
}

/** One of several things that can be chosen together. */
export function Tick({ children, value, on, onChange, isDisabled = false }: TickProps) {
  return (
    <Frame
      isDisabled={isDisabled}
      {...(value === undefined ? {} : { value })}
      {...(on === undefined ? {} : { isSelected: on })}
      {...(onChange ? { onChange } : {})}
    >
      <div className="box" />
      {children}
    </Frame>
  );
}
