import { useCallback, useEffect, useState } from "react";
import { useAct } from "../api/useAct";
import { connection } from "../live/connection";
import type { LaneChannel } from "./lanes";
import { limitsOf, movedLimit, putLimits } from "./limits";

/** Milliseconds for which a limit that was moved can be put back with one press. */
const UNDO_FOR = 30_000;

export interface MovedLimit {
  move: (channel: LaneChannel, which: "low" | "high", value: number) => void;
  /** What was moved last, "" after a while. */
  words: string;
  undo: () => void;
  /** Why it could not be moved, or put back. */
  trouble: string;
  clear: () => void;
}

/** Moves limits by their rail. */
export function useMovedLimit(): MovedLimit {
  const { run, trouble, clear } = useAct();
  const [moved, setMoved] = useState<{ words: string; back: () => Promise<unknown> } | null>(null);
  const move = useCallback(
    (one: LaneChannel, which: "low" | "high", value: number): void => {
      const now = connection.snapshot().status?.channels.find((other) => other.id === one.id);
      if (!now) return;
      const before = limitsOf(now);
      run(async () => {
        await putLimits(one.id, { ...before, [which]: value });
        setMoved({ ...movedLimit(now, which, value), back: () => putLimits(one.id, before) });
      });
    },
    [run],
  );
  useEffect(() => {
    if (!moved) return;
    const timer = setTimeout(() => setMoved(null), UNDO_FOR);
    return () => clearTimeout(timer);
  }, [moved]);
  const undo = (): void => {
    if (moved) run(() => moved.back().then(() => setMoved(null)));
  };
  return { move, words: moved?.words ?? "", undo, trouble, clear };
}
