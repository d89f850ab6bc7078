import { useLive } from "../live/connection";
import { Button } from "../parts/Button";
import { Actions, Window } from "../parts/Window";
import { CommandForm } from "./CommandForm";
import { ofInstrument, useCommands } from "./useCommands";

export interface CommandWindowProps {
  instrument: string;
  command: string;
  onClose: () => void;
}

/** One command of an instrument, to be sent once or several times. */
export function CommandWindow({ instrument, command, onClose }: CommandWindowProps) {
  const live = useLive(({ status }) => status?.instruments.find((one) => one.id === instrument));
  const by = useLive(({ status }) => status?.run?.operator ?? "");
  const found = ofInstrument(useCommands(), instrument).find((one) => one.id === command);
  if (!found) return null;
  return (
    <Window title={`${live?.name ?? instrument}: ${found.name}`} open onClose={onClose}>
      <CommandForm instrument={live} command={found} by={by} />
      <Actions>
        <Button onPress={onClose}>Close</Button>
      </Actions>
    </Window>
  );
}
