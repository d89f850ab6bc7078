/** The person's own layout: kept in this browser, taken over from a name or an address. */

import { useCallback, useMemo, useState } from "react";
import { api, got, type Schemas } from "../api/client";
import { type Layout, PLAIN, settled } from "./layout";
import type { Bare } from "./lanes";

const KEPT = "tidybench-layout";

function kept(): Layout {
  try {
    const found: unknown = JSON.parse(localStorage.getItem(KEPT) ?? "null");
    if (found && typeof found === "object" && "lanes" in found && Array.isArray(found.lanes))
      return { ...PLAIN, ...(found as Layout) };
  } catch {
    // What cannot be read is no layout.
  }
  return PLAIN;
}

export interface Laid {
  layout: Layout;
  change: (layout: Layout) => void;
  reset: () => void;
  changed: boolean;
}

/** The layout in use, with every channel there is somewhere in it. */
export function useLayout(channels: Bare[]): Laid {
  const [own, setOwn] = useState(kept);
  const change = useCallback((layout: Layout) => {
    localStorage.setItem(KEPT, JSON.stringify(layout));
    setOwn(layout);
  }, []);
  const reset = useCallback(() => {
    localStorage.removeItem(KEPT);
    setOwn(PLAIN);
  }, []);
  const layout = useMemo(() => settled(channels, own), [channels, own]);
  return { layout, change, reset, changed: own !== PLAIN };
}

export type NamedLayout = Schemas["NamedLayout"];

export const layouts = async (): Promise<NamedLayout[]> =>
  (await got(api.GET("/api/layouts"))) as NamedLayout[]; // the client forgets that a scale has two ends

export const saveLayout = (name: string, layout: Layout): Promise<unknown> =>
  got(api.PUT("/api/layouts/{name}", { params: { path: { name } }, body: layout }));

export const removeLayout = (name: string): Promise<unknown> =>
  got(api.DELETE("/api/layouts/{name}", { params: { path: { name } } }));
