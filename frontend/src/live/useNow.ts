import { useSyncExternalStore } from "react";
import { connection } from "./connection";

/** This computer's time in milliseconds, in steps of `every` milliseconds: it moves on with the rest of the page. */
export function useNow(every: number): number {
  return useSyncExternalStore(connection.subscribeBeat, () => Math.floor(Date.now() / every) * every);
}
