import styled from "styled-components";

/** A part of a page with its own frame, and answers side by side in it. */
export const Panel = styled.section`
  background: var(--panel);
  border: 1px solid var(--hairline);
  border-radius: var(--radius);
  padding: 10px 14px 12px;
  display: grid;
  gap: 10px;
  .answers {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(min(100%, 380px), 1fr));
    gap: 10px;
    align-items: start;
  }
`;
