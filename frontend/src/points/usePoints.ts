import { useQuery } from "@tanstack/react-query";
import { api, got, said } from "../api/client";
import { queries } from "../api/queries";
import { useLive } from "../live/connection";
import { noPoints, type Points } from "./points";

/** The test points of the run in progress: asked for again whenever there is another one, or another version of one. */
export function usePoints(): Points & { trouble: string; settled: boolean } {
  const run = useLive(({ status }) => status?.run?.id ?? "");
  const count = useLive(({ status }) => status?.run?.points ?? 0);
  const { data, error, isPending } = useQuery(
    {
      queryKey: ["points", run, count],
      queryFn: () => got(api.GET("/api/run/points")),
      enabled: run !== "",
      placeholderData: (before) => before,
    },
    queries,
  );
  return { ...noPoints, ...(run ? data : undefined), trouble: error ? said(error) : "", settled: !isPending };
}
