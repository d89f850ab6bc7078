import styled from "styled-components";

/** What is wrong with the whole, across the page. */
export const Banner = styled.div.attrs({ role: "alert" })`
  background: var(--faultGround);
  color: var(--fault);
  border: 1px solid var(--fault);
  border-radius: var(--radius);
  padding: 10px 16px;
  font-weight: 600;
`;
