import styled from "styled-components";

/** Facts side by side, each under what it is called. */
export const Facts = styled.dl`
  display: flex;
  flex-wrap: wrap;
  gap: 8px 28px;
  margin: 0;
  dt {
    font-size: 12.5px;
    color: var(--quiet);
  }
  dd {
    margin: 0;
    font-weight: 600;
    overflow-wrap: anywhere;
  }
`;

export function Fact({ name, text }: { name: string; text: string }) {
  return (
    <div>
      <dt>{name}</dt>
      <dd>{text}</dd>
    </div>
  );
}
