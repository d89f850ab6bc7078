/** Instruments in the order and the groups in which they are listed. */

import type { Instrument } from "../api/client";
import { firstFault } from "../parts/ReadingPath";

export type Grouping = "group" | "link" | "none";
export type SortBy = "name" | "port" | "rate" | "path";

export interface Group {
  key: string;
  /** Above its instruments; "" for no heading. */
  name: string;
  instruments: Instrument[];
}

const RANK: Record<string, number> = { stopped: 0, losses: 1 };

/** 0: stopped, 1: with losses, 2: well. */
export const troubleOf = (one: Instrument): number => RANK[firstFault(one.stages)?.state ?? ""] ?? 2;

/** Whether an instrument is meant by what was typed: all its words are found in what is said of it. */
export function meant(one: Instrument, find: string): boolean {
  const fault = firstFault(one.stages);
  const said = [one.name, one.id, one.group, one.link, one.settings, one.talks, fault?.words ?? ""]
    .join(" ")
    .toLowerCase();
  return find
    .toLowerCase()
    .split(/\s+/)
    .every((word) => said.includes(word));
}

/** Which grouping says most: groups where somebody made some, links where several share one. */
export function likelyGrouping(instruments: Instrument[]): Grouping {
  if (instruments.some((one) => one.group)) return "group";
  const links = new Set(instruments.map((one) => one.link));
  return links.size < instruments.length ? "link" : "none";
}

/** By their names or links in the order of the bench; what belongs to none comes last. */
export function grouped(instruments: Instrument[], by: Grouping): Group[] {
  if (by === "none") return [{ key: "all", name: "", instruments }];
  const keyOf = (one: Instrument): string => (by === "group" ? one.group : one.link);
  const groups = new Map<string, Instrument[]>();
  for (const one of instruments) groups.set(keyOf(one), [...(groups.get(keyOf(one)) ?? []), one]);
  const several = [...groups].filter(([key, all]) => (by === "group" ? key !== "" : all.length > 1));
  const alone = [...groups].filter(([key]) => !several.some(([other]) => other === key));
  const rest = alone.flatMap(([, all]) => all);
  const made = several.map(([key, all]): Group => ({ key: `${by} ${key}`, name: key, instruments: all }));
  if (!rest.length) return made;
  const words = by === "group" ? "without a group" : "one instrument per link";
  return [...made, { key: "rest", name: made.length ? words : "", instruments: rest }];
}

export function sorted(instruments: Instrument[], by: SortBy, down: boolean): Instrument[] {
  const compare: Record<SortBy, (one: Instrument, other: Instrument) => number> = {
    name: (one, other) => one.name.localeCompare(other.name, undefined, { numeric: true }),
    port: (one, other) => one.link.localeCompare(other.link, undefined, { numeric: true }),
    rate: (one, other) => one.messages_per_s - other.messages_per_s,
    path: (one, other) => troubleOf(one) - troubleOf(other),
  };
  const sign = down ? -1 : 1;
  return [...instruments].sort((one, other) => sign * compare[by](one, other));
}
