/** Round values from `low` to `high`, at most `most` of them. */
export function ticks(low: number, high: number, most: number): number[] {
  const wide = high - low || Math.abs(high) || 1;
  const raw = wide / most;
  const size = 10 ** Math.floor(Math.log10(raw));
  const step = [1, 2, 5, 10].map((one) => one * size).find((one) => one >= raw) ?? raw;
  const first = Math.ceil(low / step - 1e-9);
  const last = Math.floor(high / step + 1e-9);
  return Array.from({ length: Math.max(0, last - first + 1) }, (_, n) =>
    Number(((first + n) * step).toPrecision(12)),
  );
}
