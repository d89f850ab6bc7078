import { css } from "styled-components";
import { mono } from "../look/theme";

/** How tables of test points look. */
export const pointsLooks = css`
  border-collapse: collapse;
  width: 100%;
  font-size: 13px;
  th {
    font-weight: 600;
    color: var(--quiet);
    text-align: right;
    padding: 3px 8px;
    vertical-align: bottom;
  }
  th.text {
    text-align: left;
  }
  td {
    padding: 3px 8px;
    text-align: right;
    font: 13px/1.4 ${mono};
    white-space: nowrap;
    border-top: 1px solid var(--ruling);
  }
  thead td {
    border: 0;
  }
  td.text {
    text-align: left;
    font: inherit;
    white-space: normal;
  }
  td small {
    display: block;
    color: var(--quiet);
    font-size: 11.5px;
    font-weight: 400;
  }
  tr[data-void] td {
    color: var(--quiet);
    text-decoration: line-through;
  }
  tr[data-void] .outcome,
  tr[data-void] .outcome + td {
    text-decoration: none;
  }
  .off {
    color: var(--fault);
    font-weight: 700;
  }
  .unknown {
    color: var(--caution);
    font-weight: 600;
  }
`;
