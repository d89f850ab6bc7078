import type { ReactNode } from "react";
import { Button } from "react-aria-components";
import styled from "styled-components";
import type { Stage } from "../api/client";
import { BeadShape } from "../parts/ReadingPath";

const Row = styled.div`
  display: grid;
  grid-template-columns: 32px minmax(0, 1fr);
  position: relative;
  .bead {
    position: relative;
    display: flex;
    justify-content: center;
    padding-top: 15px;
    svg {
      position: relative;
      background: var(--ground);
      border-radius: 50%;
    }
    &::before {
      content: "";
      position: absolute;
      top: -9px;
      bottom: -9px;
      left: 15px;
      border-left: 2px solid var(--action);
    }
    &[data-broken="true"]::before {
      border-left: 2px dashed var(--hairline);
    }
  }
`;

/** A card below the stages, in line with theirs. */
export const CardRow = styled.div`
  padding-left: 32px;
  .body > * {
    min-width: 0;
  }
  h4 {
    margin: 2px 0 6px;
    font-size: 13px;
    color: var(--quiet);
  }
`;

/** A part of a set-up that opens and closes. */
export const Card = styled.section<{ $open: boolean; $bad: boolean }>`
  background: var(--panel);
  border: 1px solid
    ${({ $open, $bad }) => ($bad ? "var(--fault)" : $open ? "var(--action)" : "var(--hairline)")};
  border-radius: var(--radius);
  min-width: 0;
  .head {
    display: flex;
    align-items: baseline;
    gap: 14px;
    width: 100%;
    padding: 10px 16px;
    background: none;
    border: 0;
    text-align: left;
    cursor: pointer;
    border-radius: var(--radius);
  }
  h2 {
    font-size: 15px;
  }
  .summary {
    color: var(--quiet);
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    min-width: 0;
  }
  .figures {
    margin-left: auto;
    color: var(--quiet);
    font-size: 13px;
    white-space: nowrap;
  }
  @media (max-width: 719px) {
    .head {
      flex-wrap: wrap;
      gap: 2px 12px;
      padding: 10px 12px;
    }
    .figures {
      margin-left: 0;
      white-space: normal;
    }
  }
  .body {
    padding: 2px 16px 16px;
    display: grid;
    gap: 14px;
    min-width: 0;
  }
  .sentence[data-state="stopped"] {
    color: var(--fault);
    font-weight: 600;
  }
  .sentence[data-state="losses"] {
    color: var(--caution);
    font-weight: 600;
  }
`;

export interface StageCardProps {
  stage: Stage;
  summary: string;
  open: boolean;
  onOpen: () => void;
  /** The stage before lets nothing through. */
  broken: boolean;
  /** What the interface can do about a fault with one press. */
  offer?: ReactNode;
  children: ReactNode;
}

/** One stage of the reading path, with its evidence and its settings. */
export function StageCard({ stage, summary, open, onOpen, broken, offer, children }: StageCardProps) {
  const bad = stage.state === "stopped";
  return (
    <Row>
      <div className="bead" data-broken={broken}>
        <BeadShape state={stage.state} />
      </div>
      <Card $open={open} $bad={bad} data-testid={`stage-${stage.name}`}>
        <Button className="head" onPress={onOpen} aria-expanded={open}>
          <h2>{stage.name}</h2>
          <span className="summary">{summary}</span>
          <span className="figures">{stage.figures || (bad ? stage.words : "")}</span>
        </Button>
        {(open || bad || stage.state === "losses") && (
          <div className="body" style={open ? undefined : { paddingBottom: 12 }}>
            <p className="sentence" data-state={stage.state}>
              {stage.sentence}
            </p>
            {offer}
            {open && children}
          </div>
        )}
      </Card>
    </Row>
  );
}
