import { useCallback, useState } from "react";
import type { LaneView } from "../bench/lanes";

/** Milliseconds below which there is no more to see. */
const SHORTEST = 20;

export interface RunView {
  /** The stretch that is shown, in milliseconds. */
  view: () => LaneView;
  /** Whether it is a part of the run. */
  zoomed: boolean;
  show: (view: LaneView) => void;
  /** By this many of its lengths later. */
  shift: (by: number) => void;
  /** About its middle. */
  widen: (factor: number) => void;
  all: () => void;
}

/** Which stretch of a run is shown: all of it, or a part within it. */
export function useRunView(begun: number, end: number): RunView {
  const [part, setPart] = useState<LaneView | null>(null);
  const view = useCallback((): LaneView => part ?? { start: begun, end }, [part, begun, end]);
  const show = useCallback(
    (next: LaneView): void => {
      const start = Math.max(begun, Math.min(next.start, end - SHORTEST));
      const until = Math.min(end, Math.max(next.end, start + SHORTEST));
      setPart(start <= begun && until >= end ? null : { start, end: until });
    },
    [begun, end],
  );
  const shift = (by: number): void => {
    const now = view();
    const far = Math.max(begun - now.start, Math.min(end - now.end, by * (now.end - now.start)));
    show({ start: now.start + far, end: now.end + far });
  };
  const widen = (factor: number): void => {
    const now = view();
    const half = ((now.end - now.start) * factor) / 2;
    const middle = (now.start + now.end) / 2;
    show({ start: middle - half, end: middle + half });
  };
  return { view, zoomed: part !== null, show, shift, widen, all: () => setPart(null) };
}
