import { lazy, Suspense, useState } from "react";
import { Button } from "react-aria-components";
import styled from "styled-components";
import type { LaneSpec } from "./lanes";
import type { Layout } from "./layout";

const LaneMenu = lazy(() => import("./LaneMenu").then((part) => ({ default: part.LaneMenu })));

const Name = styled(Button)`
  font: inherit;
  font-size: 13px;
  font-weight: 700;
  text-align: left;
  border: 0;
  background: none;
  padding: 0 2px;
  line-height: 1.1;
  border-radius: 4px;
  cursor: pointer;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
  color: var(--ink);
  small {
    display: block;
    font-size: 11px;
    font-weight: 400;
    color: var(--quiet);
  }
  &[data-hovered] {
    background: var(--chosen);
  }
`;

export interface LaneHeadProps {
  lane: LaneSpec;
  place: number;
  layout: Layout;
  onLayout: (layout: Layout) => void;
}

/** The instruments of a lane whose devices have clocks of their own. */
export const clockedIn = (lane: LaneSpec): string[] => [
  ...new Set(lane.channels.flatMap((one) => (one.timed_by ? [one.instrument ?? ""] : []))),
];

export const ownTime = (lane: LaneSpec, layout: Layout): boolean =>
  clockedIn(lane).some((one) => layout.own_time?.includes(one));

export interface LaneNameProps {
  lane: LaneSpec;
  place: number;
  own: boolean;
  onPress?: () => void;
}

/** The lane's unit, as a button. */
export function LaneName({ lane, place, own, ...press }: LaneNameProps) {
  return (
    <Name
      aria-label={`Lane ${place + 1}, ${lane.unit || "no unit"}: what can be done`}
      aria-haspopup="menu"
      {...press}
    >
      {lane.unit || "–"}
      {own && <small>own time</small>}
      {lane.band && <small>band</small>}
    </Name>
  );
}

/** The lane's unit; its menu comes when it is pressed. */
export function LaneHead(props: LaneHeadProps) {
  const [asked, setAsked] = useState(false);
  const { lane, place, layout } = props;
  const plain = (
    <LaneName lane={lane} place={place} own={ownTime(lane, layout)} onPress={() => setAsked(true)} />
  );
  if (!asked) return plain;
  return (
    <Suspense fallback={plain}>
      <LaneMenu {...props} defaultOpen />
    </Suspense>
  );
}
