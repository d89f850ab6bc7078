/** Numbers as people type them. */

/** The number of a text: decimal point or comma, a real minus sign, an exponent; null where it is none. */
export function parsed(text: string): number | null {
  const plain = text.trim().replace("−", "-").replace(",", ".");
  if (!/^[+-]?(\d+\.?\d*|\.\d+)(e[+-]?\d+)?$/i.test(plain)) return null;
  const value = Number(plain);
  return Number.isFinite(value) ? value : null;
}

export interface Range {
  least?: number | undefined;
  most?: number | undefined;
  whole?: boolean | undefined;
  empty?: boolean | undefined;
}

/** Why a text cannot be taken, as a sentence; "" where it can. */
export function wrongWith(text: string, { least, most, whole, empty }: Range): string {
  if (!text.trim()) return empty ? "" : "Give a number.";
  const value = parsed(text);
  if (value === null) return `“${text.trim()}” is no number.`;
  if (whole && !Number.isInteger(value)) return "Give a whole number.";
  if (least !== undefined && most !== undefined && (value < least || value > most))
    return `Give a number from ${least} to ${most}.`;
  if (least !== undefined && value < least) return `Give ${least} or more.`;
  if (most !== undefined && value > most) return `Give ${most} or less.`;
  return "";
}

/** Milliseconds of seconds, without the dust of binary fractions. */
export const milli = (seconds: number): number => Number((seconds * 1000).toPrecision(12));
