import styled from "styled-components";
import { mono } from "../look/theme";
import { ticks } from "../points/points";
import type { Calibration, Row } from "./calibration";

const WIDTH = 460;
const HEIGHT = 210;
const LEFT = 62;
const BOTTOM = 38;
const TOP = 24;
const RIGHT = 14;

const Figure = styled.figure`
  margin: 0;
  svg {
    width: 100%;
    max-width: 520px;
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
  .zero {
    stroke: var(--quiet);
  }
  .allowed {
    fill: none;
    stroke: var(--caution);
    stroke-dasharray: 5 4;
    stroke-width: 1.5;
  }
  .found {
    fill: var(--panel);
    stroke: var(--action);
    stroke-width: 2;
  }
  .left {
    fill: var(--action);
  }
  figcaption {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 16px;
    font-size: 12.5px;
    color: var(--quiet);
  }
  figcaption svg {
    display: inline;
    width: 14px;
    height: 12px;
    margin-right: 5px;
  }
`;

type Placed = Row & { reference: number; deviation: number };

const placed = (row: Row): row is Placed => !row.void && row.reference != null && row.deviation != null;

function range(values: number[]): [number, number] {
  const [low, high] = [Math.min(...values), Math.max(...values)];
  const room = (high - low || Math.abs(high) || 1) * 0.1;
  return [low - room, high + room];
}

/** How far the channel was off, over the reference; as found and as left, with what is allowed. */
export function DeviationChart({ found }: { found: Pick<Calibration, "rows" | "unit"> }) {
  const rows = found.rows.filter(placed);
  if (!rows.length) return null;
  const [left, right] = range(rows.map((row) => row.reference));
  const [low, high] = range([
    0,
    ...rows.flatMap((row) => [row.deviation, row.allowed ?? 0, -(row.allowed ?? 0)]),
  ]);
  const px = (value: number): number => LEFT + ((value - left) / (right - left)) * (WIDTH - LEFT - RIGHT);
  const py = (value: number): number =>
    HEIGHT - BOTTOM - ((value - low) / (high - low)) * (HEIGHT - BOTTOM - TOP);
  const allowed = rows
    .filter((row) => row.allowed != null)
    .sort((one, other) => one.reference - other.reference);
  const line = (sign: number): string =>
    allowed
      .map(
        (row, n) =>
          `${n ? "L" : "M"}${px(row.reference).toFixed(1)} ${py(sign * (row.allowed ?? 0)).toFixed(1)}`,
      )
      .join("");
  const unit = found.unit ? `, ${found.unit}` : "";
  const stages = new Set(rows.map((row) => row.stage));
  return (
    <Figure>
      <svg viewBox={`0 0 ${WIDTH} ${HEIGHT}`} role="img" aria-label="Deviation over reference">
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
              className={one === 0 ? "zero" : "grid"}
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
        {allowed.length > 1 && [1, -1].map((sign) => <path key={sign} className="allowed" d={line(sign)} />)}
        {rows.map((row) => (
          <g key={row.number}>
            {row.stage === "as found" ? (
              <circle className="found" cx={px(row.reference)} cy={py(row.deviation)} r={5} />
            ) : (
              <rect
                className="left"
                x={px(row.reference) - 5}
                y={py(row.deviation) - 5}
                width={10}
                height={10}
              />
            )}
            <text x={px(row.reference) + 8} y={py(row.deviation) - 7}>
              {row.number}
            </text>
          </g>
        ))}
        <text className="title" x={WIDTH - RIGHT} y={HEIGHT - 5} textAnchor="end">
          Reference{unit}
        </text>
        <text className="title" x={LEFT} y={TOP - 10}>
          Deviation{unit}
        </text>
      </svg>
      <figcaption>
        {stages.has("as found") && (
          <span>
            <svg viewBox="0 0 14 12" aria-hidden="true">
              <circle className="found" cx={7} cy={6} r={5} />
            </svg>
            as found
          </span>
        )}
        {stages.has("as left") && (
          <span>
            <svg viewBox="0 0 14 12" aria-hidden="true">
              <rect className="left" x={2} y={1} width={10} height={10} />
            </svg>
            as left
          </span>
        )}
        {allowed.length > 1 && (
          <span>
            <svg viewBox="0 0 14 12" aria-hidden="true">
              <path className="allowed" d="M0 6H14" />
            </svg>
            allowed
          </span>
        )}
      </figcaption>
    </Figure>
  );
}
