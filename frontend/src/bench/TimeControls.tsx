import styled from "styled-components";
import { Chip, Key } from "../parts/Button";
import { Choice } from "../parts/Choice";
import type { TimeView } from "./useTimeView";
import { nextWindow, WINDOWS } from "./windows";

const Controls = styled.div`
  display: flex;
  gap: 6px;
  padding: 0 10px;
  justify-content: flex-end;
`;

const OPTIONS = WINDOWS.map((one) => ({ value: one.key, text: one.text }));

/** How much time is shown; of a view that stands still, the way back and forth. */
export function TimeControls({ time }: { time: TimeView }) {
  if (time.stretch)
    return (
      <Controls>
        <Chip onPress={() => time.shift(-0.5)}>earlier</Chip>
        <Chip onPress={() => time.shift(0.5)}>later</Chip>
        <Chip $chosen onPress={time.back}>
          back to now <Key>Esc</Key>
        </Chip>
      </Controls>
    );
  return (
    <Controls>
      <Chip aria-label="narrower: less time" onPress={() => time.choose(nextWindow(time.window, -1))}>
        narrower
      </Chip>
      <Choice
        label="Time shown"
        width={92}
        value={time.window.key}
        options={OPTIONS}
        onChange={(key) => {
          const found = WINDOWS.find((one) => one.key === key);
          if (found) time.choose(found);
        }}
      />
      <Chip aria-label="wider: more time" onPress={() => time.choose(nextWindow(time.window, 1))}>
        wider
      </Chip>
    </Controls>
  );
}
