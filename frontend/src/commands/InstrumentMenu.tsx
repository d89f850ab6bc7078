import { lazy, Suspense, useState } from "react";
import { MenuTrigger, Popover } from "react-aria-components";
import { useNavigate } from "react-router";
import { Item, MenuBox, Rule } from "../parts/Menu";
import { type InstrumentNameProps, Name } from "./InstrumentName";

const CommandWindow = lazy(() => import("./CommandWindow").then((part) => ({ default: part.CommandWindow })));

/** What an instrument can be told, and its set-up: it comes when its name is pressed. */
export function InstrumentMenu({ id, name, commands }: InstrumentNameProps) {
  const go = useNavigate();
  const [chosen, setChosen] = useState<string | null>(null);
  return (
    <>
      <MenuTrigger defaultOpen>
        <Name autoFocus>{name}</Name>
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
