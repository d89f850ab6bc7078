/** What is filled in for each kind of step. */

import type { Schemas } from "../api/client";

export type CardData = Schemas["CardData"];
export type CardKind = CardData["kind"];
export type CardField = keyof CardData["fields"];

export interface FieldSpec {
  name: CardField;
  label: string;
  /** What may be chosen; others than those of “else” and “answer” may be typed as well. */
  among?: "set commands" | "commands" | "channels" | "plans" | "procedures" | "else" | "answers";
  width: number;
  placeholder?: string;
}

const OTHERWISE: FieldSpec = { name: "else", label: "Else", among: "else", width: 110 };
const AT_MOST: FieldSpec = { name: "at most", label: "At most", width: 90, placeholder: "2 min" };
const CONDITION: FieldSpec = {
  name: "condition",
  label: "Condition",
  width: 320,
  placeholder: "loop-flow > 120 [L/min]",
};

/** In the order in which they are offered. */
export const KINDS: Record<CardKind, { text: string; fields: FieldSpec[] }> = {
  set: {
    text: "set",
    fields: [
      { name: "command", label: "What", among: "set commands", width: 250 },
      { name: "value", label: "To", width: 160, placeholder: "60 [%]" },
      OTHERWISE,
    ],
  },
  send: {
    text: "send",
    fields: [
      { name: "command", label: "Command", among: "commands", width: 250 },
      { name: "values", label: "With", width: 240, placeholder: "field = 60 [%]" },
      OTHERWISE,
    ],
  },
  wait: { text: "wait", fields: [{ name: "span", label: "For", width: 90, placeholder: "5 s" }] },
  "wait until": { text: "wait until", fields: [CONDITION, AT_MOST, OTHERWISE] },
  "wait until steady": {
    text: "wait until steady",
    fields: [
      { name: "channel", label: "Channel", among: "channels", width: 180 },
      { name: "band", label: "Within", width: 110, placeholder: "0.5 [L/min]" },
      { name: "span", label: "For", width: 80, placeholder: "10 s" },
      AT_MOST,
      OTHERWISE,
    ],
  },
  ask: {
    text: "ask",
    fields: [
      { name: "text", label: "Question", width: 300 },
      { name: "answer", label: "Answered with", among: "answers", width: 120 },
      { name: "name", label: "Name of the answer", width: 140, placeholder: "level" },
      { name: "unit", label: "Unit", width: 80 },
      { name: "at most", label: "At most", width: 90, placeholder: "8 h" },
    ],
  },
  mark: { text: "mark", fields: [{ name: "text", label: "Text", width: 320 }] },
  say: { text: "say", fields: [{ name: "text", label: "Text", width: 320 }] },
  "take point": {
    text: "take point",
    fields: [
      { name: "text", label: "Name", width: 240 },
      { name: "span", label: "Averaging", width: 90, placeholder: "10 s" },
      OTHERWISE,
    ],
  },
  read: {
    text: "read",
    fields: [
      { name: "channel", label: "Channel", among: "channels", width: 180 },
      { name: "name", label: "Name of the value", width: 140, placeholder: "length" },
      AT_MOST,
      OTHERWISE,
    ],
  },
  draw: {
    text: "draw",
    fields: [
      { name: "text", label: "Curve", width: 200 },
      { name: "values", label: "With", width: 300, placeholder: 'Opening = opening, Flow = "loop-flow"' },
      OTHERWISE,
    ],
  },
  capture: {
    text: "capture",
    fields: [
      { name: "channels", label: "Channels", width: 200, placeholder: "vibration, speed" },
      { name: "samples", label: "Samples", width: 80, placeholder: "1000" },
      { name: "before", label: "Of them before", width: 110, placeholder: "none" },
      AT_MOST,
      OTHERWISE,
    ],
  },
  zero: {
    text: "zero",
    fields: [{ name: "channel", label: "Channel", among: "channels", width: 180 }, OTHERWISE],
  },
  "begin run": { text: "begin run", fields: [{ name: "text", label: "Name", width: 280 }] },
  "begin run from plan": {
    text: "begin run from plan",
    fields: [{ name: "text", label: "Plan", among: "plans", width: 280 }],
  },
  "end run": { text: "end run", fields: [] },
  let: {
    text: "let",
    fields: [
      { name: "name", label: "Name", width: 120, placeholder: "speed" },
      { name: "value", label: "Is", width: 240, placeholder: "1450 [rpm]" },
    ],
  },
  "carry out": {
    text: "carry out",
    fields: [
      { name: "text", label: "Procedure", among: "procedures", width: 240 },
      { name: "values", label: "With", width: 200, placeholder: "name = 60 [%]" },
      OTHERWISE,
    ],
  },
  if: { text: "if", fields: [CONDITION] },
  else: { text: "else", fields: [] },
  for: {
    text: "for",
    fields: [
      { name: "name", label: "Name", width: 120, placeholder: "opening" },
      { name: "values", label: "Values", width: 240, placeholder: "20, 40, 60" },
      { name: "unit", label: "Unit", width: 80, placeholder: "%" },
    ],
  },
  repeat: { text: "repeat", fields: [{ name: "times", label: "Times", width: 90 }] },
};

/** What is wanted for an answer: a yes has no name, and only a number a unit. */
export function fieldsOf(kind: CardKind, fields: CardData["fields"]): FieldSpec[] {
  const all = KINDS[kind].fields;
  if (kind !== "ask") return all;
  const answer = fields.answer || "yes or no";
  return all.filter(
    ({ name }) => (name !== "name" || answer !== "yes or no") && (name !== "unit" || answer === "number"),
  );
}

export const HOLDS: readonly CardKind[] = ["if", "else", "for", "repeat"];
