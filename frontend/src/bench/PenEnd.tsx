import { type RefObject, useEffect, useRef, useState } from "react";
import styled from "styled-components";
import { figure, qualityWords } from "../look/format";
import { dashes, digits, type Theme } from "../look/theme";
import type { Samples } from "../live/samples";
import type { LaneView } from "./Lane";
import { type LaneChannel, type LaneSpec, limitWords, patienceOf, within } from "./lanes";

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
  gap: 4px;
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
    font-size: 13px;
    line-height: 1.2;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
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
  .value {
    white-space: nowrap;
    text-align: right;
  }
  .digits {
    font: 700 27px/1 ${digits};
    letter-spacing: -0.01em;
    white-space: pre;
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
  shows: "now" | "mean";
  scale: [number, number];
  height: number;
  pensRef: RefObject<((view: LaneView, scale: [number, number]) => void) | null>;
}

interface Shown {
  value: number;
  quality: number;
  stale: boolean;
}

/** The limit rail and the readouts. Digits and pointers are written past React, at most a few times a second. */
export function PenEnd({ lane, samples, theme, shows, scale, height, pensRef }: PenEndProps) {
  const pointers = useRef(new Map<number, SVGPathElement>());
  const cells = useRef(new Map<number, { digits: HTMLElement; limits: HTMLElement }>());
  const [order, setOrder] = useState<number[]>(() => lane.channels.map((channel) => channel.number));

  useEffect(() => {
    let written = 0;
    let sorted = 0;
    pensRef.current = (view, current) => {
      const time = performance.now();
      const values = new Map<number, Shown>();
      for (const channel of lane.channels) values.set(channel.number, read(channel, samples, view, shows));
      for (const channel of lane.channels) {
        const shown = values.get(channel.number);
        const pointer = pointers.current.get(channel.number);
        if (shown && pointer) point(pointer, shown, current, height);
      }
      if (time - written < 100) return;
      written = time;
      for (const channel of lane.channels) {
        const shown = values.get(channel.number);
        const cell = cells.current.get(channel.number);
        if (shown && cell) write(channel, shown, cell);
      }
      if (lane.channels.length > 1 && time - sorted > 1000) {
        sorted = time;
        setOrder((old) => inOrder(old, values, (current[1] - current[0]) * 0.08));
      }
    };
    return () => {
      pensRef.current = null;
    };
  }, [lane, samples, shows, height, pensRef]);

  const at = (value: number): number => height - ((value - scale[0]) / (scale[1] - scale[0])) * height;
  const clip = (y: number): number => Math.min(Math.max(y, 0), height);
  // A limit beyond the lane's scale has no line of its own: the band runs out of the lane.
  const inLane = (limit: number | null): boolean => limit !== null && limit >= scale[0] && limit <= scale[1];
  const known = order.filter((number) => lane.channels.some((channel) => channel.number === number));
  const rows = lane.channels.length === known.length ? known : lane.channels.map((channel) => channel.number);
  return (
    <Ends>
      <svg width="50" height={height} aria-hidden="true">
        {lane.channels.slice(0, 2).map((channel, index) => {
          const ink = theme.inks[channel.ink] ?? theme.ink;
          const x = 11 + index * 20;
          const top = clip(at(channel.high ?? Infinity));
          const bottom = clip(at(channel.low ?? -Infinity));
          return (
            <g key={channel.number} stroke={ink} fill={ink}>
              {(channel.low !== null || channel.high !== null) && (
                <>
                  <rect
                    x={x - 4}
                    y={top}
                    width="8"
                    height={Math.max(bottom - top, 0)}
                    stroke="none"
                    opacity="0.2"
                  />
                  {inLane(channel.high) && <path d={`M${x - 6} ${top}h12`} strokeWidth="2" />}
                  {inLane(channel.low) && <path d={`M${x - 6} ${bottom}h12`} strokeWidth="2" />}
                </>
              )}
              <path
                ref={(element) => {
                  if (element) pointers.current.set(channel.number, element);
                }}
                d={`M${x - 11} -6l11 6l-11 6z`}
                stroke="none"
                visibility="hidden"
              />
            </g>
          );
        })}
      </svg>
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
                <div className="name" title={channel.name}>
                  {channel.name}
                </div>
                <div
                  className="limits"
                  ref={(element) => {
                    const old = cells.current.get(number);
                    if (element)
                      cells.current.set(number, { digits: old?.digits ?? element, limits: element });
                  }}
                >
                  {limitWords(channel)}
                </div>
              </div>
              <div className="value">
                <span
                  className="digits"
                  style={{ color: ink }}
                  ref={(element) => {
                    const old = cells.current.get(number);
                    if (element)
                      cells.current.set(number, { digits: element, limits: old?.limits ?? element });
                  }}
                >
                  –
                </span>
                <span className="unit">{channel.unit}</span>
              </div>
            </Readout>
          );
        })}
      </Readouts>
    </Ends>
  );
}

function read(channel: LaneChannel, samples: Samples, view: LaneView, shows: "now" | "mean"): Shown {
  const series = samples.of(channel.number);
  if (shows === "mean") {
    let sum = 0;
    let count = 0;
    for (let i = series.indexAt(view.start); i < series.length && (series.times[i] ?? 0) <= view.end; i++) {
      if ((series.qualities[i] ?? 0) > 1) continue;
      sum += series.values[i] ?? 0;
      count++;
    }
    return { value: count ? sum / count : NaN, quality: 0, stale: count === 0 };
  }
  const i = series.indexAt(view.end + 1) - 1;
  if (i < 0) return { value: NaN, quality: 0, stale: true };
  const stale = view.end - (series.times[i] ?? 0) > patienceOf(channel);
  return { value: series.values[i] ?? NaN, quality: series.qualities[i] ?? 0, stale };
}

function point(pointer: SVGPathElement, shown: Shown, scale: [number, number], height: number): void {
  const good = !shown.stale && shown.quality <= 1 && Number.isFinite(shown.value);
  pointer.setAttribute("visibility", good ? "visible" : "hidden");
  if (!good) return;
  const y = height - ((shown.value - scale[0]) / (scale[1] - scale[0])) * height;
  pointer.setAttribute("transform", `translate(0 ${Math.min(Math.max(y, 2), height - 2).toFixed(1)})`);
}

function write(channel: LaneChannel, shown: Shown, cell: { digits: HTMLElement; limits: HTMLElement }): void {
  const good = !shown.stale && shown.quality <= 1 && Number.isFinite(shown.value);
  const text = good ? figure(shown.value, channel.decimals) : "–";
  if (cell.digits.textContent !== text) cell.digits.textContent = text;
  const where = good ? within(shown.value, channel) : "none";
  // What never was there is not missing yet.
  const never = !good && shown.stale && Number.isNaN(shown.value) && shown.quality === 0;
  const out = where === "below" || where === "above" || (!good && !never);
  const limits = limitWords(channel);
  const words = !good
    ? qualityWords(shown.quality) || (never ? "no sample yet" : "no sample")
    : where === "above" || where === "below"
      ? `${where} ${where === "above" ? channel.high : channel.low}`
      : limits;
  if (cell.limits.textContent !== words) cell.limits.textContent = words;
  cell.limits.dataset["out"] = String(out);
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
