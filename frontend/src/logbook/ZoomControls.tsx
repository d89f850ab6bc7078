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

const never = () => () => undefined;

/** The way back and forth in a run of which a part is shown; `whole`: what stands there where all of it is;
 * `cursor`: while it is in the curves the readouts are read at it, which is said then. */
export function ZoomControls({
  shown,
  whole,
  cursor,
}: {
  shown: RunView;
  whole: string;
  cursor: Cursor | null;
}) {
  const pointed = useSyncExternalStore(
    cursor?.subscribe ?? never,
    () => cursor !== null && cursor.at !== null,
  );
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
