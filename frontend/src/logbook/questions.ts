/** What can be asked of a stretch of a run. */

import type { Schemas } from "../api/client";
import type { LaneOverlay } from "../bench/lanes";

export type Question = Schemas["StretchQuestion"];
export type Answer = Schemas["StretchAnswer"];
export type Kept = Schemas["KeptAnswer"];
export type Kind = Question["kind"];

/** An answer on the page: `kept` is its number, null where it is not kept with the run. */
export interface Asked {
  key: string;
  /** None of a comparison. */
  question: Question | null;
  answer: Answer;
  kept: number | null;
  by: string;
  note: string;
}

export const KINDS: { kind: Kind; words: string; two?: boolean }[] = [
  { kind: "slope", words: "slope" },
  { kind: "steady", words: "when steady" },
  { kind: "step", words: "step" },
  { kind: "exponential", words: "fit" },
  { kind: "extremes", words: "extremes" },
  { kind: "histogram", words: "histogram" },
  { kind: "spectrum", words: "spectrum" },
  { kind: "outliers", words: "outliers" },
  { kind: "total", words: "total" },
  { kind: "switching", words: "switching point" },
  { kind: "against", words: "against …", two: true },
  { kind: "delay", words: "delay to …", two: true },
];

/** What an answer draws over the lanes, in milliseconds. */
export const overlaysOf = (answers: readonly Asked[]): LaneOverlay[] =>
  answers.flatMap(({ answer }) =>
    (answer.overlays ?? []).map(({ channel, times, values, dots }) => ({
      channel,
      times: times.map((time) => time / 1000),
      values,
      dots: dots ?? false,
    })),
  );
