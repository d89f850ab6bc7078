import { Cell, Column, Row, Table } from "react-aria-components";
import styled from "styled-components";
import { tableLooks } from "./tableLooks";

/** A table whose rows and columns are gone through by keyboard. */
export const DataTable = styled(Table)`
  ${tableLooks}
  overflow: hidden;
`;

export const Head = styled(Column)`
  text-align: left;
  font-size: 12.5px;
  font-weight: 600;
  color: var(--quiet);
  padding: 8px 10px;
  border-bottom: 1px solid var(--hairline);
  white-space: nowrap;
  outline-offset: -3px;
  &[data-allows-sorting] {
    cursor: pointer;
  }
  &[data-sort-direction="ascending"]::after {
    content: " ▲";
  }
  &[data-sort-direction="descending"]::after {
    content: " ▼";
  }
`;

export const Line = styled(Row)`
  outline-offset: -3px;
  &:last-child > td,
  &:last-child > th {
    border-bottom: 0;
  }
`;

export const Data = styled(Cell)`
  padding: 7px 10px;
  border-bottom: 1px solid var(--ruling);
  vertical-align: middle;
  outline-offset: -3px;
`;
