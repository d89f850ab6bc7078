import styled from "styled-components";
import { api, got, type Schemas } from "../api/client";
import { useAct } from "../api/useAct";
import { alike, useLive } from "../live/connection";
import { clock } from "../look/format";
import { Chip } from "../parts/Button";
import { Trouble } from "../parts/Trouble";

type Capture = Schemas["CaptureStatus"];

const Strip = styled.ul`
  grid-column: 1 / -1;
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  gap: 6px;
  li {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 6px 14px;
    padding: 8px 14px;
    background: var(--panel);
    border: 1px solid var(--hairline);
    border-left: 4px solid var(--action);
    border-radius: var(--radius);
  }
  b {
    font-weight: 600;
  }
  .words {
    flex: 1 1 240px;
    color: var(--quiet);
    overflow-wrap: anywhere;
  }
`;

/** How far a capture is, in words. */
export function captureWords(one: Capture): string {
  const many = one.times > 1 ? ` (${one.taken + 1} of ${one.times})` : "";
  const missed = one.missed
    ? `; ${one.missed === 1 ? "1 trigger" : `${one.missed} triggers`} came while it was taking`
    : "";
  if (one.triggered) return `takes${many}: ${one.gathered} of ${one.samples} samples${missed}`;
  const before = one.before ? `, ${one.gathered} of the ${one.before} samples before it are there` : "";
  return `waits${many} for ${one.words} since ${clock(one.asked_at / 1000)}${before}${missed}`;
}

/** The captures that wait for their trigger, or are taken. */
export function CaptureStrip() {
  const captures = useLive(({ status }) => status?.captures ?? [], alike);
  const act = useAct();
  if (!captures.length) return act.trouble ? <Trouble>{act.trouble}</Trouble> : null;
  const path = ({ number }: Capture) => ({ params: { path: { number } } });
  return (
    <Strip aria-label="Captures">
      {captures.map((one) => (
        <li key={one.number}>
          <b>{one.name}</b>
          <span className="words" role="status">
            {captureWords(one)}
          </span>
          {!one.triggered && (
            <Chip onPress={() => act.run(() => got(api.POST("/api/captures/{number}/trigger", path(one))))}>
              Trigger now
            </Chip>
          )}
          <Chip onPress={() => act.run(() => got(api.DELETE("/api/captures/{number}", path(one))))}>
            Stop
          </Chip>
        </li>
      ))}
      {act.trouble && <Trouble>{act.trouble}</Trouble>}
    </Strip>
  );
}
