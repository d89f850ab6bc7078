/** What a readout says: digits, standing and trend, written past React a few times a second. */

import { figure, qualityWords, valueWords } from "../look/format";
import { isGood, type Shown } from "../live/readings";
import type { Trend } from "../live/stats";
import { isState, type LaneChannel, placeOf, standing } from "./lanes";

export interface Cell {
  digits: HTMLElement;
  limits: HTMLElement;
  trend: SVGPathElement | null;
}

/** What stands below a readout's name, and how loudly. */
export function saidOf(
  channel: LaneChannel,
  shown: Shown,
  plainly: boolean,
): { words: string; level: boolean | "caution" } {
  if (isGood(shown)) return standing(channel, shown.value, plainly);
  if (shown.none) return { words: isState(channel) ? "no mean" : "not measured", level: false };
  if (shown.coming) return { words: "", level: false };
  // What never was there is not missing yet.
  const never = shown.stale && Number.isNaN(shown.value) && shown.quality === 0;
  return { words: qualityWords(shown.quality) || (never ? "no sample yet" : "no sample"), level: !never };
}

/** Puts the pointer of the limit rail where a value stands. */
export function point(
  pointer: SVGPathElement,
  shown: Shown,
  scale: [number, number],
  height: number,
  log: boolean,
): void {
  const good = isGood(shown);
  pointer.setAttribute("visibility", good ? "visible" : "hidden");
  if (!good) return;
  const y = placeOf(shown.value, scale, height, log);
  pointer.setAttribute("transform", `translate(0 ${Math.min(Math.max(y, 2), height - 2).toFixed(1)})`);
}

const TREND_WORDS: Record<Trend, string> = {
  rising: "rising over the last 20 s",
  falling: "falling over the last 20 s",
  settled: "settled: within its band for 20 s",
  "": "",
};

const TRENDS: Record<Trend, string> = {
  rising: "M1 9L6 2L11 9Z",
  falling: "M1 3L6 10L11 3Z",
  settled: "M2 3h8v1.6h-8zM2 7.4h8v1.6h-8z",
  "": "",
};

/** Writes what is known of a channel into its readout, past React. */
export function write(
  channel: LaneChannel,
  shown: Shown,
  cell: Partial<Cell>,
  more: { from: number | null; trend: Trend; judged: boolean },
): void {
  const good = isGood(shown);
  const text = good ? valueWords(shown.value, channel) : "–";
  if (cell.digits && cell.digits.textContent !== text) {
    cell.digits.textContent = text;
    cell.digits.dataset["long"] = String(text.length > 13);
  }
  const path = good ? TRENDS[more.trend] : "";
  if (cell.trend && cell.trend.getAttribute("d") !== path) {
    cell.trend.setAttribute("d", path);
    const box = cell.trend.parentElement;
    box?.setAttribute("data-trend", good ? more.trend : "");
    const words = good ? TREND_WORDS[more.trend] : "";
    const title = box?.querySelector("title");
    if (title) title.textContent = words;
    if (words) box?.setAttribute("role", "img");
    else box?.removeAttribute("role");
    box?.setAttribute("aria-hidden", String(!words));
  }
  if (!cell.limits) return;
  const { words, level } = saidOf(channel, shown, !more.judged);
  const apart =
    good && more.from !== null && Number.isFinite(more.from) && !isState(channel)
      ? `Δ ${shown.value >= more.from ? "+" : ""}${figure(shown.value - more.from, channel.decimals)}`
      : words;
  if (cell.limits.textContent !== apart) cell.limits.textContent = apart;
  cell.limits.dataset["out"] = String(level);
}
