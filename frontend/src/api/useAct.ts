import { useMutation } from "@tanstack/react-query";
import { said } from "./client";
import { queries } from "./queries";

export interface Act {
  /** Does it; what it refuses is said in `trouble`. */
  run: (work: () => Promise<unknown>) => void;
  /** Why the last one failed, "" where it did not. */
  trouble: string;
  busy: boolean;
  /** What was said is over. */
  clear: () => void;
}

/** What a person does on a page that asks something of the web server. */
export function useAct(): Act {
  const { mutate, error, isPending, reset } = useMutation(
    { mutationFn: (work: () => Promise<unknown>) => work() },
    queries,
  );
  return { run: mutate, trouble: error ? said(error) : "", busy: isPending, clear: reset };
}
