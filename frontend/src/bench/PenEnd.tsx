import { type RefObject, useEffect, useRef, useState } from "react";
import styled from "styled-components";
import { figure, qualityWords, valueWords } from "../look/format";
import { dashes, digits, type Theme } from "../look/theme";
import { isGood, MISSING, type Readings, type Shown } from "../live/readings";
import type { Samples } from "../live/samples";
import { type Trend, trendOf } from "../live/stats";
import type { Cursor } from "./cursor";
import type { LaneView } from "./Lane";
import { LimitRail } from "./LimitRail";
import {
  isState,
  isStates,
  type LaneChannel,
  type LaneSpec,
  limitWords,
  placeOf,
  READOUT,
  standing,
} from "./lanes";

const Ends = styled.div`
  display: grid;
  grid-template-columns: 50px minmax(0, 1fr);
  border-left: 1px solid var(--hairline);
  min-height: 0;
  @media (max-width: 719px) {
    grid-template-columns: minmax(0, 1fr);
    padding-left: 14px;
    border-left: 0;
    > svg {
      display: none;
    }
  }
`;

const Readouts = styled.div`
  display: flex;
  flex-direction: column;
  justify-content: center;
  gap: 2px;
  padding-right: 12px;
  min-width: 0;
  overflow: hidden;
`;

const Readout = styled.div`
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  align-items: center;
  column-gap: 8px;
  /* A long name takes two lines rather than being cut. */
  .name {
    display: -webkit-box;
    -webkit-box-orient: vertical;
    -webkit-line-clamp: 2;
    max-width: 100%;
    font-size: 13px;
    line-height: 1.15;
    overflow: hidden;
    overflow-wrap: anywhere;
    border: 0;
    background: none;
    padding: 0;
    color: var(--ink);
    text-align: left;
    cursor: pointer;
    font-family: inherit;
  }
  .name:hover {
    text-decoration: underline;
  }
  .limits {
    font-size: 12px;
    line-height: 1.2;
    color: var(--quiet);
    white-space: nowrap;
  }
  .limits[data-out="true"] {
    color: var(--fault);
    font-weight: 700;
  }
  .limits[data-out="true"]::before {
    content: "◆ ";
  }
  .limits[data-out="caution"]::before {
    content: "◇ ";
  }
  .limits[data-out="caution"] {
    color: var(--caution);
    font-weight: 700;
  }
  .value {
    white-space: nowrap;
    text-align: right;
  }
  .trend {
    display: inline-block;
    width: 12px;
    margin-left: 4px;
    vertical-align: 1px;
  }
  .digits {
    font: 700 27px/1 ${digits};
    letter-spacing: -0.01em;
    white-space: pre;
  }
  /* A long word takes two lines rather than being cut. */
  .word {
    font-size: 16px;
    line-height: 1.05;
    display: inline-block;
    max-width: 140px;
    white-space: normal;
    overflow-wrap: anywhere;
    vertical-align: middle;
  }
  .word[data-long="true"] {
    font-size: 12px;
  }
  .unit {
    display: block;
    font-size: 12px;
    line-height: 1.1;
    color: var(--quiet);
    padding-right: 16px;
  }
`;

/** Readouts of a lane of many: a line each. */
const Lines = styled.div`
  overflow-y: auto;
  scrollbar-width: thin;
  min-height: 0;
  padding: 3px 4px 3px 0;
  > div {
    display: grid;
    grid-template-columns: 16px minmax(0, 1fr) auto;
    column-gap: 6px;
    align-items: center;
    min-height: 24px;
    border-radius: 4px;
  }
  > div:hover,
  > div:focus-within {
    background: var(--chosen);
  }
  .name {
    min-width: 0;
    border: 0;
    background: none;
    padding: 0;
    color: var(--ink);
    font: inherit;
    font-size: 12.5px;
    line-height: 1.1;
    text-align: left;
    cursor: pointer;
    overflow-wrap: anywhere;
  }
  .digits {
    font: 700 15px/1 ${digits};
    white-space: pre;
    text-align: right;
  }
  .limits {
    grid-column: 2 / 4;
    font-size: 11.5px;
    line-height: 1.1;
    text-align: right;
    display: none;
  }
  .limits[data-out="true"],
  .limits[data-out="caution"] {
    display: block;
    color: var(--fault);
    font-weight: 700;
  }
  .limits[data-out="caution"] {
    color: var(--caution);
  }
  .limits[data-out="true"]::before {
    content: "◆ ";
  }
  .limits[data-out="caution"]::before {
    content: "◇ ";
  }
`;

export interface PenEndProps {
  lane: LaneSpec;
  samples: Samples;
  theme: Theme;
  readings: Readings;
  scale: [number, number];
  height: number;
  pensRef: RefObject<((view: LaneView, scale: [number, number]) => void) | null>;
  cursor: Cursor;
  onChannel?: ((channel: LaneChannel) => void) | undefined;
  onLimit?: ((channel: LaneChannel, which: "low" | "high", value: number) => void) | undefined;
  limitsMovable?: boolean | undefined;
  /** A channel is pointed at: its curve stands in front. */
  onPoint?: ((channel: number | null) => void) | undefined;
}

interface Cell {
  digits: HTMLElement;
  limits: HTMLElement;
  trend: SVGPathElement | null;
}

/** Milliseconds over which a value is judged to be rising, falling or settled. */
const SETTLING = 20_000;

/** The limit rail and the readouts. Digits and pointers are written past React, at most a few times a second. */
export function PenEnd(props: PenEndProps) {
  const { lane, samples, readings, theme, scale, height, pensRef, cursor } = props;
  const pointers = useRef(new Map<number, SVGPathElement>());
  const cells = useRef(new Map<number, Partial<Cell>>());
  const [order, setOrder] = useState<number[]>(() => lane.channels.map((channel) => channel.number));
  const many = height < 10 + READOUT * lane.channels.length && lane.channels.length > 2;

  useEffect(() => {
    let written = 0;
    let sorted = 0;
    let judged = 0;
    const trends = new Map<number, Trend>();
    pensRef.current = (view, current) => {
      const time = performance.now();
      // Nobody reads thirty numbers more than five times a second, and each one laid out anew takes its time.
      if (many && time - written < 200 && cursor.at === null) return;
      const values = new Map<number, Shown>();
      for (const channel of lane.channels)
        values.set(channel.number, readings.of(channel, view.end, cursor.at, !cursor.pinned));
      for (const channel of lane.channels) {
        const shown = values.get(channel.number);
        const pointer = pointers.current.get(channel.number);
        if (shown && pointer && !isState(channel)) point(pointer, shown, current, height, lane.log);
      }
      if (time - written < 25 && cursor.at === null) return;
      written = time;
      const judges = time - judged > 500;
      if (judges) judged = time;
      const band = (current[1] - current[0]) * 0.05;
      for (const channel of lane.channels) {
        const shown = values.get(channel.number);
        const cell = cells.current.get(channel.number);
        if (!shown || !cell) continue;
        const from = cursor.from === null ? null : readings.of(channel, view.end, cursor.from).value;
        const wide = channel.limits?.settled_band ?? Math.max(band, 4 * 10 ** -channel.decimals);
        const judged = readings.judged(cursor.at);
        if (judges) {
          const series = samples.of(channel.number);
          const before = trends.get(channel.number) ?? "";
          trends.set(channel.number, trendOf(series, view.end, SETTLING, wide, before));
        }
        const trend = judged && !isState(channel) ? (trends.get(channel.number) ?? "") : "";
        write(channel, shown, cell, { from, trend, judged });
      }
      if (lane.channels.length > 1 && time - sorted > 1000) {
        sorted = time;
        if (many) setOrder((old) => troubleFirst(old, lane, values, !readings.judged(cursor.at)));
        else if (!isStates(lane)) setOrder((old) => inOrder(old, values, (current[1] - current[0]) * 0.08));
      }
    };
    return () => {
      pensRef.current = null;
    };
  }, [lane, samples, readings, height, pensRef, cursor, many]);

  const known = order.filter((number) => lane.channels.some((channel) => channel.number === number));
  const rows = lane.channels.length === known.length ? known : lane.channels.map((channel) => channel.number);
  const cell = (number: number, part: Partial<Cell>): void => {
    cells.current.set(number, { ...cells.current.get(number), ...part });
  };
  return (
    <Ends>
      <LimitRail
        lane={lane}
        theme={theme}
        scale={scale}
        height={height}
        pointers={pointers}
        movable={props.limitsMovable}
        onLimit={props.onLimit}
      />
      {many ? (
        <Lines role="list" aria-label={`Readouts in ${lane.unit || "no unit"}`}>
          {rows.map((number) => {
            const channel = lane.channels.find((one) => one.number === number);
            if (!channel) return null;
            const ink = theme.inks[channel.ink] ?? theme.ink;
            return (
              <div
                key={number}
                role="listitem"
                data-testid={`readout-${channel.name}`}
                onPointerEnter={() => props.onPoint?.(number)}
                onPointerLeave={() => props.onPoint?.(null)}
                onFocus={() => props.onPoint?.(number)}
                onBlur={() => props.onPoint?.(null)}
              >
                <Mark ink={ink} dash={channel.dash} width={16} />
                <button
                  type="button"
                  className="name"
                  disabled={!props.onChannel}
                  title={props.onChannel && `${channel.name}: zero, limits, set-up`}
                  onClick={() => props.onChannel?.(channel)}
                >
                  {channel.name}
                </button>
                <span
                  className="digits"
                  style={{ color: ink }}
                  ref={(element) => void (element && cell(number, { digits: element, trend: null }))}
                >
                  –
                </span>
                <span className="limits" ref={(limits) => void (limits && cell(number, { limits }))} />
              </div>
            );
          })}
        </Lines>
      ) : (
        <Readouts>
          {rows.map((number) => {
            const channel = lane.channels.find((one) => one.number === number);
            if (!channel) return null;
            const ink = theme.inks[channel.ink] ?? theme.ink;
            return (
              <Readout key={number} data-testid={`readout-${channel.name}`}>
                <div style={{ minWidth: 0 }}>
                  <Mark ink={ink} dash={channel.dash} width={24} />
                  {props.onChannel ? (
                    <button
                      type="button"
                      className="name"
                      title={`${channel.name}: zero, limits, set-up`}
                      onClick={() => props.onChannel?.(channel)}
                    >
                      {channel.name}
                    </button>
                  ) : (
                    <div className="name" title={channel.name}>
                      {channel.name}
                    </div>
                  )}
                  <div className="limits" ref={(limits) => void (limits && cell(number, { limits }))}>
                    {limitWords(channel)}
                  </div>
                </div>
                <div className="value">
                  <span
                    className={isState(channel) ? "digits word" : "digits"}
                    title={channel.states?.join(", ")}
                    style={{ color: ink }}
                    ref={(element) => void (element && cell(number, { digits: element }))}
                  >
                    –
                  </span>
                  <svg className="trend" width="12" height="12" viewBox="0 0 12 12" aria-hidden="true">
                    <title />
                    <path ref={(trend) => void (trend && cell(number, { trend }))} fill={ink} d="" />
                  </svg>
                  <span className="unit">{channel.unit}</span>
                </div>
              </Readout>
            );
          })}
        </Readouts>
      )}
    </Ends>
  );
}

/** How a channel's curve is drawn. */
function Mark({ ink, dash, width }: { ink: string; dash: number; width: number }) {
  return (
    <svg width={width} height="5" aria-hidden="true" style={{ display: "block" }}>
      <path d={`M0 2.5h${width}`} stroke={ink} strokeWidth="2.4" strokeDasharray={dashes[dash]?.join(" ")} />
    </svg>
  );
}

/** Those beyond their limits or not measured first; the others as they stand in the lane. */
function troubleFirst(old: number[], lane: LaneSpec, values: Map<number, Shown>, plainly: boolean): number[] {
  const calm = (channel: LaneChannel): number => {
    const { level } = saidOf(channel, values.get(channel.number) ?? MISSING, plainly);
    return level === true ? 0 : level ? 1 : 2;
  };
  const next = lane.channels
    .map((channel) => ({ number: channel.number, calm: calm(channel) }))
    .sort((one, other) => one.calm - other.calm)
    .map((one) => one.number);
  return next.some((number, index) => number !== old[index]) ? next : old;
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

function point(
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

function write(
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

/** Readouts in the order of their curves; two change places only when they are clearly apart. */
function inOrder(old: number[], values: Map<number, Shown>, apart: number): number[] {
  const next = [...old];
  for (let i = 0; i + 1 < next.length; i++) {
    const upper = values.get(next[i] ?? 0)?.value ?? NaN;
    const lower = values.get(next[i + 1] ?? 0)?.value ?? NaN;
    if (lower - upper > apart) [next[i], next[i + 1]] = [next[i + 1] ?? 0, next[i] ?? 0];
  }
  return next.some((number, index) => number !== old[index]) ? next : old;
}
