import { lazy, Suspense, useState } from "react";
import { Button, MenuTrigger, Popover } from "react-aria-components";
import { Link, useNavigate } from "react-router";
import styled from "styled-components";
import type { Command } from "../api/client";
import { Item, MenuBox, Rule } from "../parts/Menu";

const CommandWindow = lazy(() => import("./CommandWindow").then((part) => ({ default: part.CommandWindow })));

const Name = styled(Button)`
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
export function InstrumentName({ id, name, commands }: InstrumentNameProps) {
  const go = useNavigate();
  const [chosen, setChosen] = useState<string | null>(null);
  if (!commands.length) return <Link to={`/instruments/${id}`}>{name}</Link>;
  return (
    <>
      <MenuTrigger>
        <Name>{name}</Name>
        <Popover placement="bottom start">
          <MenuBox
            aria-label={name}
            onAction={(key) =>
              String(key) === SETUP
                ? void go(`/instruments/${id}`)
                : setChosen(String(key).slice(PREFIX.length))
            }
          >
            {commands.map((command) => (
              <Item key={command.id} id={PREFIX + command.id}>
                {command.name} …
              </Item>
            ))}
            <Rule />
            <Item id={SETUP}>Set-up</Item>
          </MenuBox>
        </Popover>
      </MenuTrigger>
      <Suspense fallback={null}>
        {chosen !== null && (
          <CommandWindow instrument={id} command={chosen} onClose={() => setChosen(null)} />
        )}
      </Suspense>
    </>
  );
}

const SETUP = "set-up";
const PREFIX = "command ";
