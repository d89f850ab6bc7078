import { Button } from "react-aria-components";
import styled from "styled-components";
import type { Stage } from "../api/client";

const Row = styled.div`
  display: flex;
  align-items: center;
  height: 22px;
`;

const Line = styled.span<{ $solid: boolean }>`
  flex: 1;
  height: 0;
  border-top: 2px ${({ $solid }) => ($solid ? "solid var(--action)" : "dashed var(--hairline)")};
`;

const Bead = styled(Button)`
  padding: 3px;
  margin: -3px;
  border: 0;
  background: none;
  border-radius: 50%;
  cursor: pointer;
  display: block;
  line-height: 0;
`;

const SAY = { passing: "passing", losses: "passing with losses", stopped: "stopped", nothing: "nothing yet" };

/** A bead: filled, with a notch, an open diamond, or hollow. Its shape says it all without colour. */
export function BeadShape({ state, size = 16 }: { state: Stage["state"]; size?: number }) {
  return (
    <svg width={size} height={size} viewBox="0 0 16 16" aria-hidden="true">
      {state === "passing" && <circle cx="8" cy="8" r="6" fill="var(--action)" />}
      {state === "losses" && (
        <>
          <circle cx="8" cy="8" r="5" fill="var(--panel)" stroke="var(--action)" strokeWidth="2" />
          <path d="M2 8a6 6 0 0 0 12 0z" fill="var(--action)" />
        </>
      )}
      {state === "stopped" && (
        <path d="M8 1.5 14.5 8 8 14.5 1.5 8z" fill="var(--panel)" stroke="var(--fault)" strokeWidth="2" />
      )}
      {state === "nothing" && (
        <circle cx="8" cy="8" r="5" fill="var(--panel)" stroke="var(--quiet)" strokeWidth="1.5" />
      )}
    </svg>
  );
}

/** The five stages as beads on a line. Choosing one opens its evidence. */
export function ReadingPath({ stages, onChoose }: { stages: Stage[]; onChoose: (stage: Stage) => void }) {
  return (
    <Row role="group" aria-label="Reading path">
      {stages.map((stage, index) => (
        <Piece
          key={stage.name}
          first={index === 0}
          stage={stage}
          before={stages[index - 1]}
          onChoose={onChoose}
        />
      ))}
    </Row>
  );
}

interface PieceProps {
  first: boolean;
  stage: Stage;
  before: Stage | undefined;
  onChoose: (stage: Stage) => void;
}

function Piece({ first, stage, before, onChoose }: PieceProps) {
  const solid = before?.state !== "stopped" && before?.state !== "nothing";
  const label = `${stage.name}: ${SAY[stage.state]}${stage.words ? `, ${stage.words}` : ""}`;
  return (
    <>
      {!first && <Line $solid={solid} />}
      <Bead aria-label={label} onPress={() => onChoose(stage)}>
        <BeadShape state={stage.state} />
      </Bead>
    </>
  );
}

/** The stage to name beside the path: stopped before losses; null when all is well. */
export function firstFault(stages: Stage[]): Stage | null {
  return (
    stages.find((stage) => stage.state === "stopped") ??
    stages.find((stage) => stage.state === "losses") ??
    null
  );
}
