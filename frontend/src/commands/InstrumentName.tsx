import { lazy, Suspense, useState } from "react";
import { Button } from "react-aria-components";
import { Link } from "react-router";
import styled from "styled-components";
import type { Command } from "../api/client";

const InstrumentMenu = lazy(() =>
  import("./InstrumentMenu").then((part) => ({ default: part.InstrumentMenu })),
);

export const Name = styled(Button)`
  border: 0;
  padding: 0;
  background: none;
  font: inherit;
  color: inherit;
  text-align: left;
  cursor: pointer;
  max-width: 100%;
  overflow: hidden;
  text-overflow: ellipsis;
  &[data-hovered] {
    text-decoration: underline;
  }
  &::after {
    content: "\\00a0▾"; /* it never stands on a line of its own */
    color: var(--quiet);
    font-size: 11px;
  }
`;

export interface InstrumentNameProps {
  id: string;
  name: string;
  commands: Command[];
}

/** An instrument's name: behind it what it can be told, and its set-up. */
export function InstrumentName(props: InstrumentNameProps) {
  const [asked, setAsked] = useState(false);
  const { id, name, commands } = props;
  if (!commands.length) return <Link to={`/instruments/${id}`}>{name}</Link>;
  const plain = <Name onPress={() => setAsked(true)}>{name}</Name>;
  if (!asked) return plain;
  return (
    <Suspense fallback={plain}>
      <InstrumentMenu {...props} />
    </Suspense>
  );
}
