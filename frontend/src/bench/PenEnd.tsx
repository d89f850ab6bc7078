import { type RefObject, useEffect, useRef, useState } from "react";
import styled from "styled-components";
import { figure, qualityWords, valueWords } from "../look/format";
import { dashes, digits, type Theme } from "../look/theme";
import { isGood, type Readings, type Shown } from "../live/readings";
import type { Samples } from "../live/samples";
import { type Trend, trendOf } from "../live/stats";
import type { Cursor } from "./cursor";
import type { LaneView } from "./Lane";
import { LimitRail } from "./LimitRail";
import { isState, isStates, type LaneChannel, type LaneSpec, limitWords, placeOf, standing } from "./lanes";

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
  .name {
    display: block;
    max-width: 100%;
    font-size: 13px;
    line-height: 1.2;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
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
    font-size: 12px;
    color: var(--quiet);
    margin-left: 5px;
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

  useEffect(() => {
    let written = 0;
    let sorted = 0;
    let judged = 0;
    const trends = new Map<number, Trend>();
    pensRef.current = (view, current) => {
      const time = performance.now();
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
      if (lane.channels.length > 1 && !isStates(lane) && time - sorted > 1000) {
        sorted = time;
        setOrder((old) => inOrder(old, values, (current[1] - current[0]) * 0.08));
      }
    };
    return () => {
      pensRef.current = null;
    };
  }, [lane, samples, readings, height, pensRef, cursor]);

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
      <Readouts>
        {rows.map((number) => {
          const channel = lane.channels.find((one) => one.number === number);
          if (!channel) return null;
          const ink = theme.inks[channel.ink] ?? theme.ink;
          return (
            <Readout key={number} data-testid={`readout-${channel.name}`}>
              <div style={{ minWidth: 0 }}>
                <svg width="24" height="5" aria-hidden="true" style={{ display: "block" }}>
                  <path
                    d="M0 2.5h24"
                    stroke={ink}
                    strokeWidth="2.4"
                    strokeDasharray={dashes[channel.dash]?.join(" ")}
                  />
                </svg>
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
                <span className="unit">{channel.unit}</span>
                <svg className="trend" width="12" height="12" viewBox="0 0 12 12" aria-hidden="true">
                  <path ref={(trend) => void (trend && cell(number, { trend }))} fill={ink} d="" />
                </svg>
              </div>
            </Readout>
          );
        })}
      </Readouts>
    </Ends>
  );
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
    cell.trend.parentElement?.setAttribute("data-trend", good ? more.trend : "");
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
