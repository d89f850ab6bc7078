import styled from "styled-components";
import type { Schemas } from "../api/client";
import { ChipLink } from "../parts/Button";
import { PointsCurve } from "../points/PointsCurve";
import { PointsTable } from "../points/PointsTable";
import { PointsBeside } from "./PointsBeside";

const Two = styled.div`
  display: grid;
  grid-template-columns: minmax(0, 1fr) 420px;
  gap: 24px;
  > div {
    overflow-x: auto;
  }
  @media (max-width: 1000px) {
    grid-template-columns: minmax(0, 1fr);
  }
`;

/** The test points of a finished run: table, curve, and their CSV. */
export function TestPoints({ run }: { run: Pick<Schemas["RunDetail"], "id" | "points"> }) {
  const points = run.points.points ?? [];
  const corrected = new Set((run.points.earlier ?? []).map((one) => one.number)).size;
  return (
    <section aria-label="Test points">
      <header style={{ display: "flex", alignItems: "center", gap: 14 }}>
        <h2>Test points</h2>
        {corrected > 0 && <span>{corrected} corrected; what stood there before is in points.jsonl</span>}
        <ChipLink href={`/api/runs/${run.id}/points.csv`} download="points.csv">
          download as CSV
        </ChipLink>
      </header>
      <Two>
        <div>
          <PointsTable points={points} />
        </div>
        <PointsCurve points={points} />
      </Two>
      <PointsBeside run={run.id} />
    </section>
  );
}
