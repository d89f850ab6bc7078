import { Button as AriaButton } from "react-aria-components";
import styled from "styled-components";

/** A button; `$kind` says how loud it is. */
export const Button = styled(AriaButton)<{ $kind?: "bright" | "quiet" | "plain" }>`
  display: inline-flex;
  align-items: center;
  justify-content: center;
  gap: 8px;
  min-height: 36px;
  padding: 0 16px;
  border-radius: var(--radius);
  font-weight: 600;
  cursor: pointer;
  white-space: nowrap;
  border: 1px solid ${({ $kind }) => ($kind === "plain" ? "transparent" : "var(--action)")};
  background: ${({ $kind }) => ($kind === "bright" ? "var(--action)" : "transparent")};
  color: ${({ $kind }) => ($kind === "bright" ? "var(--actionInk)" : "var(--action)")};
  &[data-hovered] {
    filter: brightness(1.08);
    text-decoration: ${({ $kind }) => ($kind === "plain" ? "underline" : "none")};
  }
  /* Greyed, and still to be read (WCAG 2.2, 1.4.3). */
  &[data-disabled] {
    background: ${({ $kind }) => ($kind === "plain" ? "transparent" : "var(--ruling)")};
    border-color: ${({ $kind }) => ($kind === "plain" ? "transparent" : "var(--hairline)")};
    color: var(--quiet);
    cursor: default;
  }
`;

/** A small choice among several that stand side by side. */
export const Chip = styled(AriaButton)<{ $chosen?: boolean }>`
  min-height: 26px;
  padding: 0 8px;
  border-radius: 6px;
  border: 1px solid var(--hairline);
  background: ${({ $chosen }) => ($chosen ? "var(--chosen)" : "var(--panel)")};
  font-weight: 600;
  font-size: 12.5px;
  white-space: nowrap;
  cursor: pointer;
  &[data-hovered] {
    border-color: var(--action);
  }
  &[data-disabled] {
    background: var(--ruling);
    color: var(--quiet);
    cursor: default;
  }
`;

/** A link that looks like a small choice. */
export const ChipLink = styled.a`
  display: inline-flex;
  align-items: center;
  min-height: 26px;
  padding: 0 8px;
  border-radius: 6px;
  border: 1px solid var(--hairline);
  background: var(--panel);
  color: var(--ink);
  font-weight: 600;
  font-size: 12.5px;
  text-decoration: none;
  &:hover {
    border-color: var(--action);
  }
`;

/** The key that does the same. */
export const Key = styled.kbd`
  font:
    600 11px/1 "Atkinson Hyperlegible Mono Variable",
    monospace;
  border: 1px solid currentColor;
  border-radius: 4px;
  padding: 2px 4px;
  opacity: 0.75;
`;
