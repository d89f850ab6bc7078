import styled from "styled-components";

/** What one should know of the whole of a page; nothing is wrong. */
export const Note = styled.div.attrs({ role: "note" })`
  background: var(--chosen);
  border: 1px solid var(--hairline);
  border-radius: var(--radius);
  padding: 10px 16px;
  overflow-wrap: anywhere;
`;
