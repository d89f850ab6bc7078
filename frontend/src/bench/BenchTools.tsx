import { Link } from "react-router";
import styled from "styled-components";
import { useLive } from "../live/connection";
import { Chip, ChipLink } from "../parts/Button";
import type { MovedLimit } from "./useMovedLimit";

const Tools = styled.div`
  display: flex;
  gap: 6px;
  align-items: center;
  margin-left: auto;
  min-width: 0;
  .moved {
    font-weight: 600;
    font-size: 13px;
    white-space: nowrap;
  }
  .said {
    color: var(--caution);
    font-weight: 600;
    font-size: 13px;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  @media (max-width: 719px) {
    display: none;
  }
`;

export interface BenchToolsProps {
  moved: MovedLimit;
  /** Why the past is not all there. */
  why: string;
  statistics: boolean;
  onStatistics: () => void;
  points: boolean;
  onPoints: () => void;
  onReadouts: () => void;
  hidden: number;
  onLayout: () => void;
  movable: boolean;
  onMovable: () => void;
}

/** What can be shown below and instead of the trends, and what is to be known of them. */
export function BenchTools(props: BenchToolsProps) {
  const { moved, why, statistics, points, movable, hidden } = props;
  const overdue = useLive(({ status }) => status?.overdue?.[0]?.words ?? "");
  const drawing = useLive(({ status }) => {
    const one = status?.curves?.find(({ state }) => state === "in progress");
    return one ? (one.percent == null ? `${one.rows}` : `${one.percent} %`) : "";
  });
  const notice = [why, overdue].filter(Boolean).join(" ");
  return (
    <Tools>
      {moved.words ? (
        <>
          <span role="status" className="moved">
            {moved.words}
          </span>
          <Chip onPress={moved.undo}>Undo</Chip>
        </>
      ) : (
        notice && (
          <span className="said" title={notice}>
            {notice}
          </span>
        )
      )}
      <Chip $chosen={statistics} aria-pressed={statistics} onPress={props.onStatistics}>
        statistics
      </Chip>
      <Chip $chosen={points} aria-pressed={points} onPress={props.onPoints}>
        points
      </Chip>
      <ChipLink as={Link} to="/curves">
        curves{drawing && `, ${drawing}`}
      </ChipLink>
      <Chip onPress={props.onReadouts}>readouts</Chip>
      <Chip onPress={props.onLayout}>layout{hidden > 0 && `, ${hidden} hidden`}</Chip>
      <Chip $chosen={movable} aria-pressed={movable} onPress={props.onMovable}>
        {movable ? "limits can be moved" : "limits locked"}
      </Chip>
    </Tools>
  );
}
