import { useState } from "react";
import { MenuTrigger, Popover, SubmenuTrigger } from "react-aria-components";
import { Item, MenuBox, Rule } from "../parts/Menu";
import { again, changed, forward, hidden, joined, type Layout, moved, resized, split, timed } from "./layout";
import { ScaleWindow } from "./ScaleWindow";
import { clockedIn, type LaneHeadProps, LaneName, ownTime } from "./LaneHead";

/** More channels than this, and they stand in menus of their own. */
const LISTED = 6;

export interface LaneMenuProps extends LaneHeadProps {
  /** Whether it is open at once. */
  defaultOpen?: boolean;
}

/** The lane's unit; pressed, what can be done to the lane. */
export function LaneMenu({ lane, place, layout, onLayout, defaultOpen = false }: LaneMenuProps) {
  const instruments = clockedIn(lane);
  const own = ownTime(lane, layout);
  const [scaling, setScaling] = useState(false);
  const act = (key: string): void => {
    if (key === "scale") return setScaling(true);
    const acts: Record<string, () => Layout> = {
      up: () => moved(layout, place, -1),
      down: () => moved(layout, place, 1),
      taller: () => resized(layout, place, 1.5),
      lower: () => resized(layout, place, 1 / 1.5),
      forward: () => forward(layout, place),
      split: () => split(layout, place),
      join: () => joined(layout, place),
      log: () => changed(layout, place, { log: !lane.log, scale: null }),
      band: () => changed(layout, place, { band: !lane.band }),
      all: () => changed(layout, place, { undrawn: [] }),
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
  const many = lane.channels.length > LISTED;
  const hides = lane.channels.map((channel) => (
    <Item key={channel.id} id={`hide ${channel.id}`}>
      Hide {channel.name}
    </Item>
  ));
  const agains = lane.channels.map((channel) => (
    <Item key={`again ${channel.id}`} id={`again ${channel.id}`}>
      Also show {channel.name} in a new lane
    </Item>
  ));
  const menu = (
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
          <Item id="scale">Set the scale …</Item>
          <Item id="automatic" isDisabled={!lane.scale}>
            Automatic scale
          </Item>
          {lane.channels.length > 2 && (
            <Item id="band">
              {lane.band ? "Draw every curve" : "Draw as a band: lowest, middle, highest"}
            </Item>
          )}
          {lane.undrawn.length > 0 && <Item id="all">Draw all curves ({lane.undrawn.length} are off)</Item>}
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
          {!several ? null : many ? (
            <SubmenuTrigger>
              <Item id="some-hidden">Hide one of {lane.channels.length} …</Item>
              <Popover>
                <MenuBox onAction={(key) => act(String(key))}>{hides}</MenuBox>
              </Popover>
            </SubmenuTrigger>
          ) : (
            hides
          )}
          <Item id="hide">Hide this lane</Item>
          {many ? (
            <SubmenuTrigger>
              <Item id="some-again">Also show one of them in a new lane …</Item>
              <Popover>
                <MenuBox onAction={(key) => act(String(key))}>{agains}</MenuBox>
              </Popover>
            </SubmenuTrigger>
          ) : (
            agains
          )}
        </MenuBox>
      </Popover>
    </MenuTrigger>
  );
  return (
    <>
      {menu}
      {scaling && (
        <ScaleWindow
          lane={lane}
          onScale={(scale) => onLayout(changed(layout, place, { scale }))}
          onClose={() => setScaling(false)}
        />
      )}
    </>
  );
}
