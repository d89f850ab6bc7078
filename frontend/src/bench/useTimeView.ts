import { useCallback, useEffect, useState } from "react";
import { connection, useLive } from "../live/connection";
import { Past } from "../live/past";
import type { Samples } from "../live/samples";
import { useKeys } from "../parts/useKeys";
import type { LaneView } from "./lanes";
import { keepWindow, keptWindow, nextWindow, shifted, type TimeWindow, untilNow } from "./windows";

/** Milliseconds that are shown of a run where none is on. */
const WITHOUT_RUN = 300_000;
const SHORTEST = 10_000;

export interface TimeView {
  /** The stretch to show, asked at every draw. */
  view: () => LaneView;
  /** How long a stretch follows the time. */
  window: TimeWindow;
  choose: (window: TimeWindow) => void;
  /** The stretch that stands still; null: the view follows the time. */
  stretch: LaneView | null;
  show: (stretch: LaneView) => void;
  freeze: () => void;
  /** By this many of its lengths later. */
  shift: (by: number) => void;
  back: () => void;
}

/** Which stretch of time the Bench shows: it follows the time, or stands still. `onBack`: it follows again. */
export function useTimeView(onBack: () => void): TimeView {
  const [window, setWindow] = useState(keptWindow);
  const [stretch, setStretch] = useState<LaneView | null>(null);
  const begun = useLive(({ status }) => status?.run?.begun_at ?? null);
  const view = useCallback((): LaneView => {
    if (stretch) return stretch;
    const end = connection.now();
    const ofRun = begun === null ? WITHOUT_RUN : Math.max(end - begun / 1000, SHORTEST);
    return { start: end - (window.ms ?? ofRun), end };
  }, [window, stretch, begun]);
  const choose = (next: TimeWindow): void => {
    setWindow(next);
    setStretch(null);
    keepWindow(next);
  };
  const back = (): void => {
    onBack();
    setStretch(null);
  };
  const freeze = (): void => (stretch ? back() : setStretch(view()));
  const shift = (by: number): void => setStretch(shifted(view(), by, connection.now()));
  const show = useCallback((next: LaneView): void => setStretch(untilNow(next, connection.now())), []);
  useKeys({
    f: freeze,
    "[": () => choose(nextWindow(window, -1)),
    "]": () => choose(nextWindow(window, 1)),
  });
  return { view, window, choose, stretch, show, freeze, shift, back };
}

export interface PastShown {
  samples: Samples;
  version: number;
  /** Why it is not all there, "" where it is. */
  why: string;
}

/** The records behind the samples in memory, where the view reaches that far. */
export function usePast(view: () => LaneView): PastShown | undefined {
  const [told, tell] = useState<PastShown | undefined>();
  const [past] = useState(
    () => new Past(() => tell({ samples: past.samples, version: past.version, why: past.why })),
  );
  useEffect(() => {
    const look = (): void => {
      const now = view();
      if (Past.needed(now, connection.oldest())) past.want(now, 900);
    };
    look();
    const timer = setInterval(look, 1000);
    return () => clearInterval(timer);
  }, [view, past]);
  return told;
}
