import type { Channel, Schemas } from "../api/client";
import { figure } from "../look/format";

export type Calibration = Schemas["RunCalibration"];
export type Row = Schemas["CalibrationRow"];
export type Fit = Schemas["PointsStep"]["fit"];
export type Stage = Row["stage"];
export type Certificate = Schemas["CalibrationPart"];

/** What a calibration's set value is called in a point; the server knows it by this name. */
export const REFERENCE = "Reference";

export const FITS: { value: Fit; text: string }[] = [
  { value: "offset", text: "an offset" },
  { value: "straight line", text: "a straight line" },
  { value: "polynomial", text: "a polynomial" },
  { value: "between points", text: "straight lines between points" },
];

/** Whether it can be calibrated: it is measured, not calculated. */
export const canBeCalibrated = (channel: Channel): boolean =>
  !channel.clock && !channel.states?.length && !channel.expression;

/** A figure with its sign: a deviation. */
export function signed(value: number, decimals: number): string {
  const text = figure(value, decimals);
  if (Number(value.toFixed(decimals)) === 0) return text.replace("−", "");
  return value > 0 ? `+${text}` : text;
}

/** A figure of the calibration, or a dash. */
export const shownAs = (value: number | null | undefined, decimals: number): string =>
  value == null ? "–" : figure(value, decimals);

/** What a row came to. */
export function rowWords(row: Row): string {
  if (row.void) return "taken out";
  if (row.gave_up) return `given up: ${row.gave_up}`;
  return row.verdict === "beyond" ? "out of tolerance" : row.verdict || "taken";
}

/** What the points of a stage came to, in a sentence. */
export function stageWords(stage: Schemas["StageResult"], unit: string, decimals: number): string {
  const verdict = stage.verdict === "beyond" ? "out of tolerance" : stage.verdict;
  if (stage.largest == null) return `${stage.points} points`;
  const largest = `largest deviation ${figure(stage.largest, decimals)} ${unit}`.trim();
  const points = `${stage.points} point${stage.points === 1 ? "" : "s"}`;
  return [verdict, largest, points].filter(Boolean).join(", ");
}

/** What an expanded uncertainty is written as: two digits that mean something (JCGM 100, 7.2.6). */
export const uncertaintyWords = (value: number): string =>
  Math.abs(value) < 99.5 ? value.toPrecision(2) : String(Number(value.toPrecision(2)));

/** How far it may be off, in words; "" where nothing says it. */
export function allowedWords(plan: Calibration["plan"], unit: string): string {
  const parts = [
    plan.allowed != null && `${plan.allowed} ${unit}`.trim(),
    plan.allowed_percent != null && `${plan.allowed_percent} % of the reference`,
  ].filter(Boolean);
  return parts.length ? `± ${parts.join(" + ")}` : "";
}

const LAST = "tidybench-last-calibration";

/** How a channel was calibrated last from this browser. */
export interface LastTime {
  reference: string | null;
  standard: string;
  reference_expanded: number | null;
  allowed: number | null;
  allowed_percent: number | null;
  band: number | null;
  steady_s: number;
  average_s: number;
}

const FIRST: LastTime = {
  reference: null, standard: "", reference_expanded: null, allowed: null, allowed_percent: null, band: null,
  steady_s: 10, average_s: 10,
}; // prettier-ignore

export function lastTime(channel: string): LastTime {
  try {
    const kept = JSON.parse(localStorage.getItem(LAST) ?? "{}") as Record<string, Partial<LastTime>>;
    return { ...FIRST, ...kept[channel] };
  } catch {
    return FIRST;
  }
}

export function keepLastTime(channel: string, last: LastTime): void {
  let kept: object = {};
  try {
    kept = JSON.parse(localStorage.getItem(LAST) ?? "{}") as object;
  } catch {
    // What cannot be read is written anew.
  }
  localStorage.setItem(LAST, JSON.stringify({ ...kept, [channel]: last }));
}
