import { css } from "styled-components";

/** How a table looks, whatever it is made of. */
export const tableLooks = css`
  width: 100%;
  border-collapse: separate;
  border-spacing: 0;
  background: var(--panel);
  border: 1px solid var(--hairline);
  border-radius: var(--radius);
`;
