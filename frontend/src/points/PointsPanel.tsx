import { type ReactNode, useState } from "react";
import styled from "styled-components";
import { useLive } from "../live/connection";
import { Button, Key } from "../parts/Button";
import { Trouble } from "../parts/Trouble";
import { CorrectPointWindow } from "./CorrectPointWindow";
import type { Point } from "./points";
import { PointsCurve } from "./PointsCurve";
import { PointsTable } from "./PointsTable";
import { usePoints } from "./usePoints";

const Panel = styled.section`
  background: var(--panel);
  border: 1px solid var(--hairline);
  border-radius: var(--radius);
  padding: 8px 14px;
  overflow: auto;
  > header {
    display: flex;
    align-items: center;
    gap: 10px;
    padding-bottom: 6px;
    position: sticky;
    top: -8px;
    background: var(--panel);
    z-index: 1;
  }
  h2 {
    font-size: 14px;
  }
  .two {
    display: grid;
    grid-template-columns: minmax(0, 1fr) 400px;
    gap: 20px;
  }
  .two > div {
    overflow-x: auto;
  }
  @media (max-width: 1000px) {
    .two {
      grid-template-columns: minmax(0, 1fr);
    }
  }
`;

export interface PointsPanelProps {
  height: number | string;
  onTake: () => void;
  tools?: ReactNode;
}

/** The test points of the run in progress: table and curve. */
export function PointsPanel({ height, onTake, tools }: PointsPanelProps) {
  const run = useLive(({ status }) => status?.run?.id ?? "");
  const taking = useLive(({ status }) => status?.run?.taking != null);
  const { points, earlier, trouble } = usePoints();
  const [corrected, setCorrected] = useState<Point | null>(null);
  return (
    <Panel aria-label="Points" style={{ height }}>
      <header>
        <h2>Test points</h2>
        {run && (
          <Button onPress={onTake} isDisabled={taking}>
            Take a point <Key>P</Key>
          </Button>
        )}
        {tools}
      </header>
      {trouble && <Trouble>{trouble}</Trouble>}
      {points.length ? (
        <div className="two">
          <div>
            <PointsTable points={points} onCorrect={setCorrected} />
          </div>
          <PointsCurve points={points} />
        </div>
      ) : (
        <p style={{ color: "var(--quiet)" }}>
          {run
            ? "None yet. A point waits until chosen channels are steady, averages them, and adds a line here."
            : "Test points belong to a run. Begin one first."}
        </p>
      )}
      {corrected && (
        <CorrectPointWindow point={corrected} earlier={earlier} onClose={() => setCorrected(null)} />
      )}
    </Panel>
  );
}
