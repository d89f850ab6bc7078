import { Menu, MenuItem, Separator } from "react-aria-components";
import styled from "styled-components";

/** What can be chosen, below the button that opens it. */
export const MenuBox = styled(Menu)`
  background: var(--panel);
  border: 1px solid var(--hairline);
  border-radius: var(--radius);
  box-shadow: 0 8px 30px rgba(0, 0, 0, 0.2);
  padding: 5px;
  min-width: 190px;
  max-height: 70vh;
  overflow: auto;
  outline: none;
`;

export const Item = styled(MenuItem)`
  display: block;
  padding: 6px 10px;
  border-radius: 6px;
  color: var(--ink);
  text-decoration: none;
  cursor: pointer;
  outline: none;
  &[data-focused] {
    background: var(--chosen);
  }
  &[data-disabled] {
    color: var(--quiet);
    cursor: default;
  }
`;

export const Rule = styled(Separator)`
  border: 0;
  height: 1px;
  background: var(--hairline);
  margin: 4px 0;
`;
