import { css } from "styled-components";

/** How a page looks that edits one document: name, state and buttons in a line, a note below, then its cards. */
export const editorLooks = css`
  padding: 0 12px 24px;
  .top {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 8px 12px;
    padding: 6px 0 10px 6px;
    position: sticky;
    top: 0;
    z-index: 2;
    background: var(--ground);
  }
  h1 {
    font-size: 22px;
  }
  .state {
    color: var(--quiet);
    flex: 1 1 160px;
  }
  .note {
    padding: 0 6px 8px;
    color: var(--quiet);
    max-width: 90ch;
    margin: 0;
  }
`;
