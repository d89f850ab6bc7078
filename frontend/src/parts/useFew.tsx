import { type ReactNode, useState } from "react";
import { count } from "../look/format";
import { Chip } from "./Button";

/** Rows that a list shows at first, and with each press more. */
export const FEW = 100;

export interface FewRows<T> {
  few: readonly T[];
  /** How many of them there are to see, and the way to more; null where all are shown. */
  more: ReactNode;
}

/** The first rows of a list that may have thousands. */
export function useFew<T>(all: readonly T[]): FewRows<T> {
  const [most, setMost] = useState(FEW);
  const rest = all.length - most;
  return {
    few: rest > 0 ? all.slice(0, most) : all,
    more:
      rest > 0 ? (
        <p style={{ display: "flex", flexWrap: "wrap", alignItems: "center", gap: 8, margin: "8px 0" }}>
          The first {count(most)} of {count(all.length)} are shown.
          <Chip onPress={() => setMost(most + FEW)}>Show {count(Math.min(FEW, rest))} more</Chip>
        </p>
      ) : null,
  };
}
