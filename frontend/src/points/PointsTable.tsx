import styled from "styled-components";
import { clock } from "../look/format";
import { Chip } from "../parts/Button";
import { uncertaintyWords } from "../calibration/calibration";
import { pointsLooks } from "./pointsLooks";
import { outcome, type Point, seriesOf, valueOf } from "./points";

const Table = styled.table`
  ${pointsLooks}
`;

const signOf = (verdict: Point["verdict"]): string =>
  verdict === "beyond" ? "off" : verdict === "not known" ? "unknown" : "";

export interface PointsTableProps {
  points: readonly Point[];
  onCorrect?: (point: Point) => void;
}

/** The test points of a run: a line for each, what was given first, then the means with their deviation. */
export function PointsTable({ points, onCorrect }: PointsTableProps) {
  const series = seriesOf(points);
  return (
    <Table aria-label="Test points">
      <thead>
        <tr>
          <th scope="col">No.</th>
          <th scope="col" className="text">
            Name
          </th>
          <th scope="col" className="text">
            Result
          </th>
          {onCorrect && <td />}
          {series.map((one) => (
            <th scope="col" key={one.key}>
              {one.label}
            </th>
          ))}
          <th scope="col">At</th>
        </tr>
      </thead>
      <tbody>
        {points.map((point) => (
          <tr key={point.number} data-void={point.void || undefined}>
            <td>{point.number}</td>
            <td className="text" title={point.note}>
              {point.name}
              {point.note && <small>{point.note}</small>}
            </td>
            <td className={`text outcome ${point.gave_up ? "unknown" : signOf(point.verdict)}`}>
              {outcome(point)}
            </td>
            {onCorrect && (
              <td className="text">
                <Chip aria-label={`correct point ${point.number}`} onPress={() => onCorrect(point)}>
                  correct
                </Chip>
              </td>
            )}
            {series.map((one) => {
              const mean = point.means?.find((found) => found.id === one.key);
              return (
                <td key={one.key} className={signOf(mean?.verdict ?? "")} title={spanWords(mean)}>
                  {valueOf(one, one.of(point))}
                  {mean?.expanded != null && <small>± {uncertaintyWords(mean.expanded)}</small>}
                  {mean?.sd != null && <small>s {mean.sd.toPrecision(2)}</small>}
                </td>
              );
            })}
            <td>{clock((point.until || point.at) / 1000)}</td>
          </tr>
        ))}
      </tbody>
    </Table>
  );
}

const two = (value: number | null | undefined): string => (value == null ? "–" : value.toPrecision(2));

function spanWords(mean: NonNullable<Point["means"]>[number] | undefined): string {
  if (!mean) return "";
  const tolerance =
    mean.low == null && mean.high == null
      ? ""
      : `, tolerance ${mean.low ?? "−∞"} to ${mean.high ?? "∞"} ${mean.unit}`;
  const missing = mean.missing ? `, ${mean.missing} not measured` : "";
  const certain =
    mean.expanded == null
      ? ""
      : `, ± ${uncertaintyWords(mean.expanded)} ${mean.unit} (k = 2): of the certificate ${two(mean.type_b)}, of the scatter ${two(mean.type_a)}`;
  return `${mean.count} samples${missing}${tolerance}${certain}`;
}
