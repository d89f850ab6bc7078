import { useState } from "react";
import styled from "styled-components";
import { pathOf, Plot, plotLooks, rangeOf } from "../parts/Plot";
import { Fields, Select } from "../parts/Select";
import { curveOf, type Point, type Series, seriesOf } from "./points";

const Figure = styled.figure`
  ${plotLooks}
  .curve {
    fill: none;
    stroke: var(--action);
    stroke-width: 2;
  }
  .bar {
    stroke: var(--ink);
    stroke-width: 1.5;
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
  return (
    <Plot
      label={`${y.label} over ${x.label}`}
      x={rangeOf([...curve.map((one) => one.x), ...ends.map(([at]) => at)])}
      y={rangeOf([...curve.map((one) => one.y), ...ends.map(([, at]) => at)])}
      over={x.label}
      up={
        <>
          {y.label}
          {bars.length > 0 && <tspan className="bars">{"  "}bars: ± uncertainty, k = 2</tspan>}
        </>
      }
    >
      {(px, py) => (
        <>
          <path className="curve" d={pathOf(curve.map((one) => [px(one.x), py(one.y)]))} />
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
        </>
      )}
    </Plot>
  );
}
