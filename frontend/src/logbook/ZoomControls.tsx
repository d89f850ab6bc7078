import { useSyncExternalStore } from "react";
import styled from "styled-components";
import type { Cursor } from "../bench/cursor";
import { Chip, Key } from "../parts/Button";
import type { RunView } from "./useRunView";

const Controls = styled.div`
  display: flex;
  gap: 6px;
  padding: 0 10px;
  justify-content: flex-end;
  align-items: center;
  color: var(--quiet);
  font-size: 12.5px;
`;

/** The way back and forth in a run of which a part is shown; `whole`: what the readouts say where all of it is, and the cursor
 * is away. */
export function ZoomControls({ shown, whole, cursor }: { shown: RunView; whole: string; cursor: Cursor }) {
  const pointed = useSyncExternalStore(cursor.subscribe, () => cursor.at !== null);
  return (
    <Controls>
      {shown.zoomed ? (
        <>
          <Chip onPress={() => shown.shift(-0.5)}>earlier</Chip>
          <Chip onPress={() => shown.shift(0.5)}>later</Chip>
          <Chip onPress={() => shown.widen(2)}>wider</Chip>
          <Chip $chosen onPress={shown.all}>
            all <Key>Esc</Key>
          </Chip>
        </>
      ) : (
        <span>{pointed ? "at the cursor" : whole}</span>
      )}
    </Controls>
  );
}
