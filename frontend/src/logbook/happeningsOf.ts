import type { RunDetail } from "../api/client";
import type { Happenings } from "../bench/happenings";

/** States of a channel that are beyond its limits, or lost. */
const SERIOUS = ["low", "high", "stuck", "alarm", "stopped", "unmeasured"];

/** What happened in a run, as its lanes draw it. The table of crossings names channels; it does not number them. */
export function happeningsOf(run: Pick<RunDetail, "numbers" | "crossings" | "points">): Happenings {
  const numbers = new Map(run.numbers.map((one) => [one.name, one.number]));
  return {
    crossings: run.crossings.flatMap((one) => {
      const channel = one.channel || numbers.get(one.name);
      return channel === undefined
        ? []
        : [
            {
              channel,
              at: one.at / 1000,
              value: one.value ?? null,
              serious: SERIOUS.includes(one.state),
            },
          ];
    }),
    points: (run.points.points ?? [])
      .filter((one) => !one.void && one.until)
      .map((one) => ({
        start: (one.since ?? 0) / 1000,
        end: (one.until ?? 0) / 1000,
        text: one.name || `point ${one.number}`,
        short: String(one.number),
      })),
    lost: true,
  };
}
