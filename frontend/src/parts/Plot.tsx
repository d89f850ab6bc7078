import type { ReactNode } from "react";
import { css } from "styled-components";
import { mono } from "../look/theme";
import { ticks } from "./ticks";

const WIDTH = 440;
const HEIGHT = 205;
const LEFT = 60;
const BOTTOM = 38;
const TOP = 24;
const RIGHT = 14;

/** How a figure with a plot looks. */
export const plotLooks = css`
  margin: 0;
  svg {
    width: 100%;
    max-width: 560px;
    height: auto;
    display: block;
  }
  text {
    font: 11px ${mono};
    fill: var(--quiet);
  }
  text.title {
    font: 600 12px sans-serif;
    fill: var(--ink);
  }
  text .bars {
    font: 11px ${mono};
    fill: var(--quiet);
  }
  .grid {
    stroke: var(--ruling);
  }
  .zero {
    stroke: var(--quiet);
  }
`;

/** From and to, with some room: never nothing. */
export function rangeOf(values: readonly number[]): [number, number] {
  const [low, high] = [Math.min(...values), Math.max(...values)];
  const room = (high - low || Math.abs(high) || 1) * 0.09;
  return [low - room, high + room];
}

/** A line through points, in order. */
export const pathOf = (points: readonly (readonly [number, number])[]): string =>
  points.map(([x, y], n) => `${n ? "L" : "M"}${x.toFixed(1)} ${y.toFixed(1)}`).join("");

export interface PlotProps {
  /** What it shows, in words. */
  label: string;
  x: readonly [number, number];
  y: readonly [number, number];
  over: string;
  up: ReactNode;
  /** The line at nothing stands out. */
  zero?: boolean;
  children: (px: (value: number) => number, py: (value: number) => number) => ReactNode;
}

/** One quantity over another: axes, grid, and what is drawn between them. */
export function Plot({ label, x: [left, right], y: [low, high], over, up, zero, children }: PlotProps) {
  const px = (value: number): number => LEFT + ((value - left) / (right - left)) * (WIDTH - LEFT - RIGHT);
  const py = (value: number): number =>
    HEIGHT - BOTTOM - ((value - low) / (high - low)) * (HEIGHT - BOTTOM - TOP);
  return (
    <svg viewBox={`0 0 ${WIDTH} ${HEIGHT}`} role="img" aria-label={label}>
      {ticks(left, right, 6).map((one) => (
        <g key={one}>
          <line className="grid" x1={px(one)} x2={px(one)} y1={TOP} y2={HEIGHT - BOTTOM} />
          <text x={px(one)} y={HEIGHT - BOTTOM + 14} textAnchor="middle">
            {one}
          </text>
        </g>
      ))}
      {ticks(low, high, 5).map((one) => (
        <g key={one}>
          <line
            className={zero && one === 0 ? "zero" : "grid"}
            x1={LEFT}
            x2={WIDTH - RIGHT}
            y1={py(one)}
            y2={py(one)}
          />
          <text x={LEFT - 6} y={py(one) + 4} textAnchor="end">
            {one}
          </text>
        </g>
      ))}
      <text className="title" x={WIDTH - RIGHT} y={HEIGHT - 5} textAnchor="end">
        {over}
      </text>
      <text className="title" x={LEFT} y={TOP - 10}>
        {up}
      </text>
      {children(px, py)}
    </svg>
  );
}
