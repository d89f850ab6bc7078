import styled from "styled-components";

/** What went wrong, in words, where it went wrong. */
export const Trouble = styled.p.attrs({ role: "alert" })`
  color: var(--fault);
  background: var(--faultGround);
  border-radius: 6px;
  padding: 8px 10px;
  white-space: pre-wrap;
`;
