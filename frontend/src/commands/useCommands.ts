import { useQuery } from "@tanstack/react-query";
import { api, type Command, got, type InstrumentCommands } from "../api/client";
import { queries } from "../api/queries";

const NONE: InstrumentCommands[] = [];

/** What the instruments can be told. Set-ups change seldom, but they may change elsewhere. */
export function useCommands(): InstrumentCommands[] {
  const found = useQuery(
    { queryKey: ["commands"], queryFn: () => got(api.GET("/api/commands")), refetchInterval: 10_000 },
    queries,
  );
  return found.data ?? NONE;
}

export const ofInstrument = (all: InstrumentCommands[], id: string): Command[] =>
  all.find((one) => one.instrument === id)?.commands ?? [];
