import { Menu, MenuItem, MenuTrigger, Popover, Separator } from "react-aria-components";
import styled from "styled-components";
import { again, changed, forward, hidden, joined, type Layout, moved, resized, split, timed } from "./layout";
import { clockedIn, type LaneHeadProps, LaneName, ownTime } from "./LaneHead";

export const MenuBox = styled(Menu)`
  background: var(--panel);
  border: 1px solid var(--hairline);
  border-radius: var(--radius);
  box-shadow: 0 8px 30px rgba(0, 0, 0, 0.2);
  padding: 5px;
  min-width: 190px;
  max-height: 70vh;
  overflow: auto;
  outline: none;
`;

export const Item = styled(MenuItem)`
  padding: 6px 10px;
  border-radius: 6px;
  cursor: pointer;
  outline: none;
  &[data-focused] {
    background: var(--chosen);
  }
  &[data-disabled] {
    opacity: 0.5;
  }
`;

const Rule = styled(Separator)`
  border: 0;
  height: 1px;
  background: var(--hairline);
  margin: 4px 0;
`;

export interface LaneMenuProps extends LaneHeadProps {
  /** Whether it is open at once. */
  defaultOpen?: boolean;
}

/** The lane's unit; pressed, what can be done to the lane. */
export function LaneMenu({ lane, place, layout, onLayout, defaultOpen = false }: LaneMenuProps) {
  const instruments = clockedIn(lane);
  const own = ownTime(lane, layout);
  const act = (key: string): void => {
    const acts: Record<string, () => Layout> = {
      up: () => moved(layout, place, -1),
      down: () => moved(layout, place, 1),
      taller: () => resized(layout, place, 1.5),
      lower: () => resized(layout, place, 1 / 1.5),
      forward: () => forward(layout, place),
      split: () => split(layout, place),
      join: () => joined(layout, place),
      log: () => changed(layout, place, { log: !lane.log, scale: null }),
      automatic: () => changed(layout, place, { scale: null }),
      hide: () => hidden(layout, place),
      time: () => timed(layout, instruments, !own),
    };
    const [what, id] = key.split(" ", 2);
    const made = acts[key]?.() ?? (what === "hide" && id ? hidden(layout, place, id) : null);
    if (made) onLayout(made);
    else if (what === "again" && id) onLayout(again(layout, id));
  };
  const several = lane.channels.length > 1;
  return (
    <MenuTrigger defaultOpen={defaultOpen}>
      <LaneName lane={lane} place={place} own={own} />
      <Popover placement="right top">
        <MenuBox onAction={(key) => act(String(key))} aria-label={`Lane ${place + 1}`}>
          <Item id="forward">{lane.weight === 4 ? "All lanes alike" : "Bring forward"}</Item>
          <Item id="taller">Taller</Item>
          <Item id="lower">Lower</Item>
          <Item id="up" isDisabled={place === 0}>
            Move up
          </Item>
          <Item id="down" isDisabled={place === layout.lanes.length - 1}>
            Move down
          </Item>
          <Rule />
          <Item id="log">{lane.log ? "Linear scale" : "Logarithmic scale"}</Item>
          <Item id="automatic" isDisabled={!lane.scale}>
            Automatic scale
          </Item>
          {instruments.length > 0 && (
            <Item id="time">{own ? "By the time of arrival" : "By the device’s own time"}</Item>
          )}
          <Rule />
          <Item id="split" isDisabled={!several}>
            Split into lanes
          </Item>
          <Item id="join" isDisabled={place === 0}>
            Join with the lane above
          </Item>
          <Rule />
          {several
            ? lane.channels.map((channel) => (
                <Item key={channel.id} id={`hide ${channel.id}`}>
                  Hide {channel.name}
                </Item>
              ))
            : null}
          <Item id="hide">Hide this lane</Item>
          {lane.channels.map((channel) => (
            <Item key={`again ${channel.id}`} id={`again ${channel.id}`}>
              Also show {channel.name} in a new lane
            </Item>
          ))}
        </MenuBox>
      </Popover>
    </MenuTrigger>
  );
}
