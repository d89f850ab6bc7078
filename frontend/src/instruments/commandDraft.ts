/** Commands of a set-up that is being changed. */

import type { ArgumentPart, InstrumentCommandPart, Setup } from "../api/client";

const FIELD = /(?<!\\)<\s*([^\W\d][\w-]*)\s*(?::\s*([a-z]+))?/gu;
const TEXTS = ["word", "text", "choice"];

export interface SentField {
  name: string;
  numeric: boolean;
}

/** The fields of what is sent, as far as the pattern shows them; the server checks it whole. */
export function fieldsOf(command: InstrumentCommandPart): SentField[] {
  if (command.writes) return [{ name: "value", numeric: true }];
  return [...command.send.matchAll(FIELD)].map(([, name = "", kind = "number"]) => ({
    name,
    numeric: !TEXTS.includes(kind),
  }));
}

export const bare = (field: string): ArgumentPart => ({ field, name: "", unit: "", choices: [] });

export const argumentOf = (command: InstrumentCommandPart, field: string): ArgumentPart =>
  command.argument.find((one) => one.field === field) ?? bare(field);

/** The command with an argument told otherwise; what says nothing is left out. */
export function withArgument(
  command: InstrumentCommandPart,
  field: string,
  part: Partial<ArgumentPart>,
): InstrumentCommandPart {
  const now = { ...argumentOf(command, field), ...part };
  const others = command.argument.filter((one) => one.field !== field);
  return { ...command, argument: [...others, now] };
}

/** The command with something else sent: arguments of fields that are gone go. */
export function sending(
  command: InstrumentCommandPart,
  part: Partial<InstrumentCommandPart>,
): InstrumentCommandPart {
  const now = { ...command, ...part };
  const names = fieldsOf(now).map((one) => one.name);
  return { ...now, argument: now.argument.filter((one) => names.includes(one.field)) };
}

/** What is typed for a default or a choice: a number where the field is one. */
export function plain(text: string, numeric: boolean): number | string | null {
  const trimmed = text.trim();
  if (!trimmed) return null;
  if (!numeric) return trimmed;
  const value = Number(trimmed.replace(",", "."));
  return Number.isFinite(value) ? value : trimmed;
}

const idOf = (name: string): string =>
  name
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-+|-+$/g, "")
    .slice(0, 50) || "command";

/** An id that no command has yet. */
export function freeId(name: string, taken: readonly string[]): string {
  const base = idOf(name);
  let found = base;
  for (let n = 2; taken.includes(found); n++) found = `${base}-${n}`;
  return found;
}

/** A new command, which sends nothing yet but its end. */
export function freshCommand(setup: Setup, end: string): InstrumentCommandPart {
  const taken = setup.command.map((one) => one.id);
  const register = setup.modbus?.registers.find((one) => one.writable);
  const id = freeId("command", taken);
  return {
    id,
    name: `Command ${setup.command.length + 1}`,
    does: "sets",
    send: setup.modbus ? "" : `?${end}`,
    writes: setup.modbus ? (register?.name ?? "") : "",
    argument: [],
    patterns: [],
    errors: [],
    give_up_after_s: 1,
    with_check: false,
    read_back: true,
    starts: "",
    button: false,
    note: "",
  };
}

/** Without what says nothing: nulls and empty lists have no way into the text, and what is usual need not stand there. */
export function leanCommand({
  with_check,
  read_back,
  ...command
}: Record<string, unknown>): Record<string, unknown> {
  const full = (one: unknown): boolean =>
    one !== null && one !== undefined && one !== "" && !(Array.isArray(one) && !one.length);
  const lean = (table: Record<string, unknown>): Record<string, unknown> =>
    Object.fromEntries(Object.entries(table).filter(([, one]) => full(one)));
  const told = Array.isArray(command.argument)
    ? (command.argument as Record<string, unknown>[]).map(lean).filter((one) => Object.keys(one).length > 1)
    : [];
  const unusual = { ...(with_check === true && { with_check }), ...(read_back === false && { read_back }) };
  return lean({ ...command, ...unusual, argument: told });
}

/** A safe state without values that are not given: those commands are sent with their defaults. */
export function leanSafe(safe: Record<string, unknown>): Record<string, unknown> {
  const commands = (safe.commands as { command: string; values: object }[]).map((one) =>
    Object.keys(one.values).length ? one : { command: one.command },
  );
  return { ...safe, commands };
}
