/** A set-up being changed: what differs from the one kept, as the server's changes. */

import { leanCommand, leanSafe } from "./commandDraft";
import { leanLimits } from "./limits";
import type { Setup, SetupForm } from "../api/client";

type Table = Record<string, unknown>;

const same = (a: unknown, b: unknown): boolean => JSON.stringify(a ?? null) === JSON.stringify(b ?? null);
const isTable = (value: unknown): value is Table =>
  typeof value === "object" && value !== null && !Array.isArray(value);

/** The keys of a table that differ; those that are empty now are taken away. */
function tableChanges(old: Table, now: Table): Table {
  const out: Table = {};
  for (const key of new Set([...Object.keys(old), ...Object.keys(now)])) {
    if (!same(old[key], now[key])) out[key] = now[key] ?? null;
  }
  return out;
}

/** One item of a list as its text should give it: what it gave, and what is new. */
function item(given: unknown, old: unknown, now: Table): Table {
  if (!isTable(given) || !isTable(old)) return now;
  const changes = tableChanges(old, now);
  return Object.fromEntries(Object.entries({ ...given, ...changes }).filter(([, value]) => value !== null));
}

/** A channel without what says nothing: no steps, no filters, limits that are not set. */
function lean(channel: Table): Table {
  const kept = Object.entries(channel).filter(
    ([, value]) => value !== null && !(Array.isArray(value) && value.length === 0),
  );
  const out = Object.fromEntries(kept);
  if (isTable(out.limits)) {
    const limits = leanLimits(out.limits);
    if (limits) out.limits = limits;
    else delete out.limits;
  }
  return out;
}

/** What to send to have `draft` kept in place of the form's set-up; empty where nothing differs. */
export function changesOf(form: SetupForm, draft: Setup): Table {
  const old = form.setup as unknown as Table;
  const now = draft as unknown as Table;
  const out: Table = {};
  for (const key of Object.keys(now)) {
    const before = old[key];
    const after = now[key];
    if (same(before, after)) continue;
    if (key === "safe" && isTable(after)) {
      out[key] = leanSafe(after);
    } else if (Array.isArray(after)) {
      const given = form.given[key];
      out[key] = after.map((one: Table) => {
        const at = Array.isArray(before)
          ? before.findIndex((other: Table) => (one.id ? other.id === one.id : false))
          : -1;
        const index = at >= 0 ? at : after.indexOf(one);
        const made = item(
          Array.isArray(given) ? given[index] : undefined,
          Array.isArray(before) ? before[index] : undefined,
          one,
        );
        if (key === "command") return leanCommand(made);
        return key === "channel" ? lean(made) : made;
      });
    } else if (isTable(after) && isTable(before) && after.kind === before.kind) {
      out[key] = tableChanges(before, after);
    } else if (isTable(after)) {
      out[key] = Object.fromEntries(Object.entries(after).filter(([, value]) => value !== null));
    } else out[key] = after ?? null;
  }
  return out;
}

export interface Saving {
  /** What the draft was made from, and the draft when it was sent. */
  before: Setup;
  sent: Setup;
  /** The changes that were sent: all of the draft's, or one of their own. */
  what: Table;
}

/**
 * The draft after a save: what came back, and over it whatever is not saved yet, because it was no part of what was sent or was
 * typed since.
 */
export function afterSave({ before, sent, what }: Saving, now: Setup, fresh: Setup): Setup {
  const [old, then, next, came] = [before, sent, now, fresh] as unknown as Table[] as [
    Table,
    Table,
    Table,
    Table,
  ];
  const out: Table = { ...came };
  for (const key of Object.keys(next)) {
    const [was, mine, part] = [old[key], next[key], what[key]];
    if (same(was, mine)) continue;
    const [a, b, c] = [came[key], then[key], mine];
    if (isTable(part) && isTable(a) && isTable(b) && isTable(c) && isTable(was)) {
      const unsaved = Object.entries(c).filter(([field, value]) =>
        field in part ? !same(value, b[field]) : !same(value, was[field]),
      );
      out[key] = { ...a, ...Object.fromEntries(unsaved) };
    } else if (!(key in what) || !same(mine, b)) out[key] = mine;
  }
  return out as unknown as Setup;
}
