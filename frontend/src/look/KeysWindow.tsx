import { useState } from "react";
import styled from "styled-components";
import { Button, Key } from "../parts/Button";
import { Toggle } from "../parts/Toggle";
import { keepSingleKeys, singleKeys } from "../parts/useKeys";
import { Actions, Window } from "../parts/Window";

const List = styled.dl`
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 8px 16px;
  margin: 0;
  dd {
    margin: 0;
  }
`;

const LIST: [string, string][] = [
  ["F", "freeze the trends, and go on"],
  ["B", "begin a run"],
  ["M", "mark this moment"],
  ["P", "take a test point"],
  ["E", "end the run (asks first)"],
  ["T", "tape, taller and back"],
  ["S", "statistics of what is shown, and back"],
  ["R", "big readouts for across the room, and back"],
  ["1 to 9", "bring a lane forward, and back"],
  ["[ and ]", "a narrower or a wider stretch of time"],
  ["Esc", "back to now, back out"],
];

const CURSOR: [string, string][] = [
  ["← →", "move the cursor; with Shift ten times as far"],
  ["Enter", "pin it, then a second one, then none"],
  ["+ and −", "more or less time around it"],
  ["Z", "zoom in on what lies between the two"],
];

function Keys({ list }: { list: [string, string][] }) {
  return (
    <List>
      {list.map(([key, what]) => (
        <div key={key} style={{ display: "contents" }}>
          <dt>
            <Key>{key}</Key>
          </dt>
          <dd>{what}</dd>
        </div>
      ))}
    </List>
  );
}

/** Which keys do what. */
export function KeysWindow({ onClose }: { onClose: () => void }) {
  const [on, setOn] = useState(singleKeys);
  return (
    <Window title="Keys" open onClose={onClose}>
      <p>On the Bench, when no field has focus:</p>
      <Keys list={LIST} />
      <p>With the focus on the trends:</p>
      <Keys list={CURSOR} />
      <div style={{ marginTop: 14 }}>
        <Toggle
          on={on}
          onChange={(next) => {
            setOn(next);
            keepSingleKeys(next);
          }}
        >
          Single keys act in this browser
        </Toggle>
        {!on && <p>Only Esc does now. The “?” at the top of the page opens this list.</p>}
      </div>
      <Actions>
        <Button $kind="bright" onPress={onClose}>
          Close
        </Button>
      </Actions>
    </Window>
  );
}
