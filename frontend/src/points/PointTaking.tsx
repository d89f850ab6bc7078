import styled from "styled-components";
import { api, got, type Schemas } from "../api/client";
import { useAct } from "../api/useAct";
import { connection, useBeat } from "../live/connection";
import { length } from "../look/format";
import { Button } from "../parts/Button";
import { Trouble } from "../parts/Trouble";

const Bar = styled.div`
  display: flex;
  align-items: center;
  flex-wrap: wrap;
  gap: 8px 12px;
  padding: 8px 16px;
  border: 1px dashed var(--action);
  border-radius: var(--radius);
  background: var(--panel);
  > p {
    flex: 1 1 260px;
    min-width: 0;
  }
`;

export interface PointTakingProps {
  taking: Schemas["TakingStatus"];
  heard: boolean;
}

/** The point that is being taken: what it waits for, and for how long yet. */
export function PointTaking({ taking, heard }: PointTakingProps) {
  useBeat(heard);
  const act = useAct();
  const stop = (now: boolean): void =>
    act.run(() => got(api.POST("/api/run/points/stop", { body: { number: taking.number, now } })));
  return (
    <Bar role="status" aria-label="Test point">
      <p>
        <strong>
          Point {taking.number}
          {taking.name && ` “${taking.name}”`}
        </strong>{" "}
        {heard ? takingWords(taking, connection.now()) : "is being taken; the bench is not heard."}
      </p>
      {act.trouble && <Trouble>{act.trouble}</Trouble>}
      {taking.since == null && (
        <Button onPress={() => stop(true)} isDisabled={act.busy}>
          Average now
        </Button>
      )}
      <Button onPress={() => stop(false)} isDisabled={act.busy}>
        Give it up
      </Button>
    </Bar>
  );
}

/** How a point goes, as a sentence. */
export function takingWords(taking: Schemas["TakingStatus"], now: number): string {
  const left = (until: number): string => length(Math.max(0, until / 1000 - now));
  if (taking.until != null) return `is averaged: ${left(taking.until)} to go.`;
  const names = taking.unsteady.join(", ");
  return `waits for ${names || "all"} to be steady. It is given up in ${left(taking.gives_up_at)}.`;
}
