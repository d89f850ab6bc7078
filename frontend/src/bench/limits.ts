import { api, type Channel, got, type Schemas } from "../api/client";
import type { Limits } from "../instruments/limits";
import { figure } from "../look/format";

/** The limits of a channel in force, as a form edits them. */
export function limitsOf(channel: Channel): Limits {
  const limits: Limits & Partial<Channel["limits"]> = { ...channel.limits };
  // How it stands is no limit.
  delete limits.state;
  delete limits.since;
  delete limits.band;
  delete limits.settled;
  return limits;
}

export const putLimits = (id: string, limits: Limits): Promise<Schemas["SetupSaved"]> =>
  got(api.PUT("/api/channels/{key}/limits", { params: { path: { key: id } }, body: limits }));

/** What was done, in words. */
export function movedLimit(
  channel: Pick<Channel, "name" | "low" | "high" | "decimals">,
  which: "low" | "high",
  value: number,
): { words: string } {
  const was = channel[which];
  const from = was === null ? "" : `${figure(was, channel.decimals)} to `;
  return {
    words: `${which === "low" ? "Lower" : "Upper"} limit of ${channel.name}: ${from}${figure(value, channel.decimals)}`,
  };
}
