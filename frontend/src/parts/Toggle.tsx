import type { ReactNode } from "react";
import { Switch } from "react-aria-components";
import styled from "styled-components";

const Frame = styled(Switch)`
  display: flex;
  align-items: center;
  gap: 10px;
  min-height: 28px;
  cursor: pointer;
  font-weight: 600;
  .track {
    flex: none;
    width: 38px;
    height: 22px;
    border-radius: 11px;
    border: 2px solid var(--action);
    padding: 2px;
  }
  .track::before {
    content: "";
    display: block;
    width: 14px;
    height: 14px;
    border-radius: 50%;
    background: var(--action);
  }
  &[data-selected] .track {
    background: var(--action);
  }
  &[data-selected] .track::before {
    background: var(--panel);
    margin-left: 16px;
  }
  &[data-focus-visible] .track {
    outline: 3px solid var(--action);
    outline-offset: 2px;
  }
  &[data-disabled] {
    color: var(--quiet);
    cursor: default;
  }
`;

export interface ToggleProps {
  on: boolean;
  onChange: (on: boolean) => void;
  isDisabled?: boolean;
  children: ReactNode;
}

/** Something that is on or off. */
export function Toggle({ on, onChange, isDisabled, children }: ToggleProps) {
  return (
    <Frame isSelected={on} onChange={onChange} isDisabled={isDisabled ?? false}>
      <div className="track" />
      {children}
    </Frame>
  );
}
