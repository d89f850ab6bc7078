import styled from "styled-components";
import { pointsLooks } from "../points/pointsLooks";
import { Chip } from "../parts/Button";
import { type Calibration, type Row, rowWords, shownAs, signed } from "./calibration";

const Table = styled.table`
  ${pointsLooks}
  tr.stage th {
    color: var(--ink);
    padding-top: 12px;
    font-size: 13px;
  }
`;

export interface CalibrationTableProps {
  found: Pick<Calibration, "rows" | "unit" | "decimals" | "correction">;
  onCorrect?: (number: number) => void;
}

/** The points of a calibration, as found and as left. */
export function CalibrationTable({ found, onCorrect }: CalibrationTableProps) {
  const { rows, unit, decimals } = found;
  const of = unit ? `, ${unit}` : "";
  const stages = (["as found", "as left"] as const).filter((one) => rows.some((row) => row.stage === one));
  return (
    <Table aria-label="Calibration points">
      <thead>
        <tr>
          <th scope="col">No.</th>
          <th scope="col">Reference{of}</th>
          <th scope="col">Shown{of}</th>
          <th scope="col">Deviation{of}</th>
          <th scope="col">Allowed ±</th>
          <th scope="col">Residual</th>
          <th scope="col" className="text">
            Result
          </th>
          {onCorrect && <td />}
        </tr>
      </thead>
      {stages.map((stage) => (
        <tbody key={stage}>
          <tr className="stage">
            <th scope="rowgroup" className="text" colSpan={onCorrect ? 8 : 7}>
              {stage === "as found" ? "As found" : "As left"}
            </th>
          </tr>
          {rows
            .filter((row) => row.stage === stage)
            .map((row) => (
              <Line key={row.number} row={row} decimals={decimals} onCorrect={onCorrect} />
            ))}
        </tbody>
      ))}
    </Table>
  );
}

function Line({
  row,
  decimals,
  onCorrect,
}: {
  row: Row;
  decimals: number;
  onCorrect: ((number: number) => void) | undefined;
}) {
  const sign = row.void
    ? ""
    : row.verdict === "beyond"
      ? "off"
      : row.gave_up || row.verdict === "not known"
        ? "unknown"
        : "";
  return (
    <tr data-void={row.void || undefined}>
      <td>{row.number}</td>
      <td>{shownAs(row.reference, decimals + 1)}</td>
      <td title={`${row.count} samples`}>
        {shownAs(row.shown, decimals + 1)}
        {row.sd != null && <small>s {row.sd.toPrecision(2)}</small>}
      </td>
      <td className={sign}>{row.deviation == null ? "–" : signed(row.deviation, decimals + 1)}</td>
      <td>{row.allowed == null ? "–" : Number(row.allowed.toPrecision(3))}</td>
      <td>{row.residual == null ? "" : signed(row.residual, decimals + 2)}</td>
      <td className={`text outcome ${sign}`}>
        {rowWords(row)}
        {row.note && <small>{row.note}</small>}
      </td>
      {onCorrect && (
        <td className="text">
          <Chip aria-label={`correct point ${row.number}`} onPress={() => onCorrect(row.number)}>
            correct
          </Chip>
        </td>
      )}
    </tr>
  );
}
