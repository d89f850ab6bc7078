import { useMemo } from "react";
import type { Channel } from "../api/client";
import { useLive } from "../live/connection";
import type { Bare } from "./lanes";

/** Of a channel's status: what changes without anything being drawn otherwise. */
const PASSING = new Set(["since", "zero", "zeroed_at", "problem"]);

const keys = new WeakMap<Channel, string>();

function keyOf(channel: Channel): string {
  let key = keys.get(channel);
  if (key === undefined) {
    key = JSON.stringify(channel, (name, value: unknown) => (PASSING.has(name) ? undefined : value));
    keys.set(channel, key);
  }
  return key;
}

/** The channels as lanes show them: the very same list until something that is drawn has changed. */
export function useChannels(): Bare[] {
  const key = useLive(({ status }) => `[${status?.channels.map(keyOf).join(",") ?? ""}]`);
  return useMemo(() => JSON.parse(key) as Bare[], [key]);
}
