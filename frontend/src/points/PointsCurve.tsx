import { useState } from "react";
import styled from "styled-components";
import { mono } from "../look/theme";
import { Fields, Select } from "../parts/Select";
import { curveOf, type Point, type Series, seriesOf, ticks } from "./points";

const WIDTH = 420;
const HEIGHT = 200;
const LEFT = 58;
const BOTTOM = 40;
const TOP = 24;
const RIGHT = 14;

const Figure = styled.figure`
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
  .grid {
    stroke: var(--ruling);
  }
  .curve {
    fill: none;
    stroke: var(--action);
    stroke-width: 2;
  }
  .bar {
    stroke: var(--ink);
    stroke-width: 1.5;
  }
  text .bars {
    font: 11px ${mono};
    fill: var(--quiet);
  }
  .dot {
    fill: var(--action);
  }
  .off {
    fill: var(--fault);
  }
`;

interface Bar {
  from: readonly [number, number];
  to: readonly [number, number];
}

/** From and to, with some room: never nothing. */
function range(values: number[]): [number, number] {
  const [low, high] = [Math.min(...values), Math.max(...values)];
  const room = (high - low || Math.abs(high) || 1) * 0.08;
  return [low - room, high + room];
}

/** The points against each other: one quantity over another one. */
export function PointsCurve({ points }: { points: readonly Point[] }) {
  const series = seriesOf(points);
  const [chosen, setChosen] = useState({ x: "", y: "" });
  const x = series.find((one) => one.key === chosen.x) ?? series[0];
  const y = series.find((one) => one.key === chosen.y) ?? series[1];
  if (!x || !y) return null;
  const curve = curveOf(points, x, y);
  const options = series.map((one) => ({ value: one.key, text: one.label }));
  return (
    <Figure>
      <Fields>
        <Select
          label="Up"
          value={y.key}
          options={options}
          onChange={(key) => setChosen({ ...chosen, y: key, x: x.key })}
          width={190}
        />
        <Select
          label="Over"
          value={x.key}
          options={options}
          onChange={(key) => setChosen({ ...chosen, x: key, y: y.key })}
          width={190}
        />
      </Fields>
      {curve.length ? (
        <Drawn curve={curve} x={x} y={y} />
      ) : (
        <p style={{ color: "var(--quiet)" }}>No point has both of them.</p>
      )}
    </Figure>
  );
}

function Drawn({ curve, x, y }: { curve: ReturnType<typeof curveOf>; x: Series; y: Series }) {
  const bars = curve.flatMap((one): Bar[] => {
    const [across, up] = [x.certain(one.point), y.certain(one.point)];
    return [
      ...(across === null ? [] : [{ from: [one.x - across, one.y], to: [one.x + across, one.y] } as const]),
      ...(up === null ? [] : [{ from: [one.x, one.y - up], to: [one.x, one.y + up] } as const]),
    ];
  });
  const ends = bars.flatMap((bar) => [bar.from, bar.to]);
  const [left, right] = range([...curve.map((one) => one.x), ...ends.map(([at]) => at)]);
  const [low, high] = range([...curve.map((one) => one.y), ...ends.map(([, at]) => at)]);
  const px = (value: number): number => LEFT + ((value - left) / (right - left)) * (WIDTH - LEFT - RIGHT);
  const py = (value: number): number =>
    HEIGHT - BOTTOM - ((value - low) / (high - low)) * (HEIGHT - BOTTOM - TOP);
  const path = curve
    .map((one, n) => `${n ? "L" : "M"}${px(one.x).toFixed(1)} ${py(one.y).toFixed(1)}`)
    .join("");
  return (
    <svg viewBox={`0 0 ${WIDTH} ${HEIGHT}`} role="img" aria-label={`${y.label} over ${x.label}`}>
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
          <line className="grid" x1={LEFT} x2={WIDTH - RIGHT} y1={py(one)} y2={py(one)} />
          <text x={LEFT - 6} y={py(one) + 4} textAnchor="end">
            {one}
          </text>
        </g>
      ))}
      <text className="title" x={WIDTH - RIGHT} y={HEIGHT - 6} textAnchor="end">
        {x.label}
      </text>
      <text className="title" x={LEFT} y={TOP - 10}>
        {y.label}
        {bars.length > 0 && <tspan className="bars">{"  "}bars: ± uncertainty, k = 2</tspan>}
      </text>
      <path className="curve" d={path} />
      {bars.map(({ from, to }, n) => (
        <line key={n} className="bar" x1={px(from[0])} y1={py(from[1])} x2={px(to[0])} y2={py(to[1])} />
      ))}
      {curve.map((one) => (
        <g key={one.point.number}>
          <circle
            className={one.point.verdict === "beyond" ? "dot off" : "dot"}
            cx={px(one.x)}
            cy={py(one.y)}
            r={4}
          />
          <text x={px(one.x) + 6} y={py(one.y) - 6}>
            {one.point.number}
          </text>
        </g>
      ))}
    </svg>
  );
}
