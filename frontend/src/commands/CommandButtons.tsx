import styled from "styled-components";
import type { Instrument } from "../api/client";
import { useLive } from "../live/connection";
import { CommandForm } from "./CommandForm";
import { useCommands } from "./useCommands";

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
`;

/** The commands that were chosen to stand on the Bench. */
export function CommandButtons({ instruments }: { instruments: Instrument[] }) {
  const by = useLive(({ status }) => status?.run?.operator ?? "");
  const shown = useCommands()
    .map((one) => ({ ...one, commands: one.commands.filter((command) => command.button) }))
    .filter((one) => one.commands.length);
  if (!shown.length) return null;
  return (
    <Card aria-label="Commands">
      <h2>Commands</h2>
      {shown.map((one) => (
        <div key={one.instrument} style={{ display: "grid", gap: 8 }}>
          <h3>{one.name}</h3>
          {one.commands.map((command) => (
            <CommandForm
              key={command.id}
              instrument={instruments.find((live) => live.id === one.instrument)}
              command={command}
              by={by}
              narrow
            />
          ))}
        </div>
      ))}
    </Card>
  );
}
