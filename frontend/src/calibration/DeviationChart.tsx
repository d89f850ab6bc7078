import styled from "styled-components";
import { pathOf, Plot, plotLooks, rangeOf } from "../parts/Plot";
import type { Calibration, Row } from "./calibration";

const Figure = styled.figure`
  ${plotLooks}
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

/** How far the channel was off, over the reference; as found and as left, with what is allowed. */
export function DeviationChart({ found }: { found: Pick<Calibration, "rows" | "unit"> }) {
  const rows = found.rows.filter(placed);
  if (!rows.length) return null;
  const allowed = rows
    .filter((row) => row.allowed != null)
    .sort((one, other) => one.reference - other.reference);
  const unit = found.unit ? `, ${found.unit}` : "";
  const stages = new Set(rows.map((row) => row.stage));
  return (
    <Figure>
      <Plot
        label="Deviation over reference"
        x={rangeOf(rows.map((row) => row.reference))}
        y={rangeOf([0, ...rows.flatMap((row) => [row.deviation, row.allowed ?? 0, -(row.allowed ?? 0)])])}
        over={`Reference${unit}`}
        up={`Deviation${unit}`}
        zero
      >
        {(px, py) => (
          <>
            {allowed.length > 1 &&
              [1, -1].map((sign) => (
                <path
                  key={sign}
                  className="allowed"
                  d={pathOf(allowed.map((row) => [px(row.reference), py(sign * (row.allowed ?? 0))]))}
                />
              ))}
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
          </>
        )}
      </Plot>
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
