/** The one cache of what was asked of the web server: pages use it through hooks, the live view without React. */

import { QueryClient } from "@tanstack/react-query";

/** The bench is on this computer: it is asked also where the browser holds the network for lost. */
const networkMode = "always";

export const queries = new QueryClient({
  defaultOptions: { queries: { retry: 1, staleTime: 1000, networkMode }, mutations: { networkMode } },
});

/** One answer, asked for now and kept nowhere: of two that ask the same at once, one asks. */
export const askOnce = <T>(key: readonly unknown[], ask: (signal: AbortSignal) => Promise<T>): Promise<T> =>
  queries.fetchQuery({
    queryKey: key,
    queryFn: ({ signal }) => ask(signal),
    retry: false,
    staleTime: 0,
    gcTime: 0,
  });
