import { lazy, Suspense, useState } from "react";
import styled from "styled-components";
import type { Instrument } from "../api/client";
import { useLive } from "../live/connection";
import { useCommands } from "./useCommands";

// A bench without commands fetches no fields for them.
const CommandForm = lazy(() => import("./CommandForm").then((part) => ({ default: part.CommandForm })));

const Card = styled.section`
  display: grid;
  gap: 10px;
  background: var(--panel);
  border: 1px solid var(--hairline);
  border-radius: var(--radius);
  box-shadow: var(--shadow);
  padding: 9px 12px 12px;
  h2 {
    font-size: 15px;
  }
  h3 {
    margin: 0 0 4px;
    font-size: 13px;
    font-weight: 600;
    color: var(--quiet);
    overflow-wrap: anywhere;
  }
  grid-template-columns: minmax(0, 1fr);
  .forms {
    display: grid;
    grid-template-columns: minmax(0, 1fr);
    gap: 8px;
  }
  button {
    white-space: normal;
    overflow-wrap: anywhere;
    max-width: 100%;
  }
  summary {
    min-height: 28px;
    padding: 4px 0;
    font-size: 13px;
    font-weight: 600;
    cursor: pointer;
    overflow-wrap: anywhere;
  }
`;

/** More instruments than this, and each shows its commands when it is opened: the first page has no more to draw. */
const OPEN = 3;

/** The commands that were chosen to stand on the Bench; of these instruments alone. */
export function CommandButtons({ instruments }: { instruments: Instrument[] }) {
  const by = useLive(({ status }) => status?.run?.operator ?? "");
  const live = new Map(instruments.map((one) => [one.id, one]));
  const shown = useCommands()
    .map((one) => ({ ...one, commands: one.commands.filter((command) => command.button) }))
    .filter((one) => one.commands.length && live.has(one.instrument));
  if (!shown.length) return null;
  return (
    <Card aria-label="Commands">
      <h2>Commands</h2>
      {shown.map((one) => (
        <OfInstrument
          key={`${one.instrument} ${shown.length > OPEN}`}
          name={one.name}
          folded={shown.length > OPEN}
        >
          <Suspense fallback={null}>
            {one.commands.map((command) => (
              <CommandForm
                key={command.id}
                instrument={live.get(one.instrument)}
                command={command}
                by={by}
                narrow
              />
            ))}
          </Suspense>
        </OfInstrument>
      ))}
    </Card>
  );
}

interface OfInstrumentProps {
  name: string;
  folded: boolean;
  children: React.ReactNode;
}

function OfInstrument({ name, folded, children }: OfInstrumentProps) {
  const [open, setOpen] = useState(false);
  if (!folded)
    return (
      <div className="forms">
        <h3>{name}</h3>
        {children}
      </div>
    );
  return (
    <details onToggle={(event) => setOpen(event.currentTarget.open)}>
      <summary>{name}</summary>
      {open && <div className="forms">{children}</div>}
    </details>
  );
}
