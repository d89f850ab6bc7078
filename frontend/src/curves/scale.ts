/** From a quantity to pixels and back, in a straight or a logarithmic scale. */

import { ticks } from "../parts/ticks";

export interface Scale {
  logarithmic: boolean;
  low: number;
  high: number;
  /** Where a value lies; NaN where it cannot be drawn. */
  place: (value: number) => number;
  /** The value at a place. */
  value: (at: number) => number;
  ticks: number[];
}

/** The values that can be drawn: finite, and above zero where the scale is logarithmic. */
export const drawable = (value: number | null | undefined, logarithmic: boolean): value is number =>
  value != null && Number.isFinite(value) && (!logarithmic || value > 0);

/** 1, 2, 5 of each decade; whole decades where there are many; round values between where there is not even one. */
export function logTicks(low: number, high: number, most: number): number[] {
  const decades = Math.log10(high / low);
  const steps = decades > most / 2 ? [1] : decades > most / 3 ? [1, 5] : [1, 2, 5];
  const found: number[] = [];
  const every = Math.max(1, Math.ceil(decades / most));
  for (let n = Math.floor(Math.log10(low)); n <= Math.ceil(Math.log10(high)); n += every)
    for (const step of steps) {
      const value = Number((step * 10 ** n).toPrecision(6));
      if (value >= low * 0.999999 && value <= high * 1.000001) found.push(value);
    }
  return found.length > 1 ? found : ticks(low, high, most).filter((one) => one > 0);
}

/** A scale over these values, drawn from pixel `from` to `to`. `room`: a share left free at both ends. */
export function scaleOf(
  values: readonly (number | null)[],
  logarithmic: boolean,
  from: number,
  to: number,
  most: number,
  room: number,
): Scale {
  let [low, high] = [Infinity, -Infinity];
  for (const value of values)
    if (drawable(value, logarithmic)) {
      if (value < low) low = value;
      if (value > high) high = value;
    }
  if (low > high) [low, high] = logarithmic ? [1, 10] : [0, 1];
  const onto = logarithmic ? Math.log10 : (value: number): number => value;
  const back = logarithmic ? (value: number): number => 10 ** value : onto;
  let [first, last] = [onto(low), onto(high)];
  const wide = last - first || (logarithmic ? 0.3 : Math.abs(first) || 1);
  [first, last] = [first - wide * room, last + wide * room];
  [low, high] = [back(first), back(last)];
  return {
    logarithmic,
    low,
    high,
    place: (value) => from + ((onto(value) - first) / (last - first)) * (to - from),
    value: (at) => back(first + ((at - from) / (to - from)) * (last - first)),
    ticks: logarithmic ? logTicks(low, high, most) : ticks(low, high, most),
  };
}

/** 20, 500, 10k, 2.5M: a number beside a scale. */
export function tickWords(value: number): string {
  const size = Math.abs(value);
  if (size >= 1e9 || (size > 0 && size < 1e-4))
    return value.toExponential().replace("e+", "e").replace("-", "−");
  const [by, unit] = size >= 1e6 ? [1e6, "M"] : size >= 1e4 ? [1e3, "k"] : [1, ""];
  return `${Number((value / by).toPrecision(6))}${unit}`.replace("-", "−");
}

/** A figure with so many digits, a real minus sign, and no needless exponent. */
export function figureOf(value: number, digits = 5): string {
  const size = Math.abs(value);
  if (size !== 0 && (size >= 1e7 || size < 1e-4))
    return value
      .toExponential(digits - 1)
      .replace("e+", "e")
      .replaceAll("-", "−");
  const behind = size === 0 ? 0 : Math.max(0, digits - 1 - Math.floor(Math.log10(size)));
  return value.toFixed(Math.min(behind, 12)).replace("-", "−");
}

/** A power in small figures above the line: ⁻⁶. */
const raised = (power: number): string =>
  String(power).replace(/./g, (one) => (one === "-" ? "⁻" : ("⁰¹²³⁴⁵⁶⁷⁸⁹"[Number(one)] ?? "")));

/** A value with its standard uncertainty: both to the place of the second digit of the uncertainty (JCGM 100, 7.2.6). */
export function withUncertainty(value: number, uncertainty: number | null): string {
  if (uncertainty === null || !(uncertainty > 0)) return figureOf(value);
  const power = Math.floor(Math.log10(Math.max(Math.abs(value), uncertainty)));
  if (power < -4 || power > 7) {
    const scaled = withUncertainty(value / 10 ** power, uncertainty / 10 ** power);
    return `(${scaled}) × 10${raised(power)}`;
  }
  const behind = Math.min(12, Math.max(0, 1 - Math.floor(Math.log10(uncertainty))));
  return `${value.toFixed(behind).replace("-", "−")} ± ${uncertainty.toFixed(behind)}`;
}

/** A value with the digits that it came with, as far as they mean anything. */
export const asSent = (value: number): string => String(Number(value.toPrecision(9))).replace("-", "−");
