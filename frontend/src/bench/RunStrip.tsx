import { useEffect, useState } from "react";
import styled from "styled-components";
import type { RunStatus, Status } from "../api/client";
import { count, elapsed, hours, moment } from "../look/format";
import { digits } from "../look/theme";
import { connection } from "../live/connection";
import { Button, Key } from "../parts/Button";

const Strip = styled.section<{ $on: boolean }>`
  display: flex;
  align-items: center;
  gap: 28px;
  min-height: 64px;
  padding: 8px 16px;
  border-radius: var(--radius);
  border: 1px solid ${({ $on }) => ($on ? "var(--logging)" : "var(--hairline)")};
  background: ${({ $on }) => ($on ? "var(--logging)" : "var(--panel)")};
  color: ${({ $on }) => ($on ? "var(--loggingInk)" : "var(--ink)")};
  transition: background 0.25s;
  .small {
    font-size: 12.5px;
    color: ${({ $on }) => ($on ? "var(--loggingQuiet)" : "var(--quiet)")};
  }
  .big {
    font: 700 26px/1.1 ${digits};
    white-space: nowrap;
  }
  .cell {
    min-width: 0;
  }
  .cell > div {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .strong {
    font-weight: 700;
  }
  .room {
    flex: 1 1 0;
  }
  > button {
    flex: none;
  }
  > .cell:first-child {
    flex: none;
  }
  @media (max-width: 1100px) {
    gap: 18px;
    .third {
      display: none;
    }
  }
  @media (max-width: 719px) {
    flex-wrap: wrap;
    gap: 8px 16px;
    .second {
      display: none;
    }
    .small {
      white-space: normal !important;
    }
  }
`;

const OnDark = styled(Button)`
  border-color: var(--loggingInk);
  color: var(--loggingInk);
  &.bright {
    background: var(--loggingInk);
    color: var(--logging);
  }
`;

const Verdict = styled.div<{ $out: boolean }>`
  font-weight: 700;
  text-decoration: ${({ $out }) => ($out ? "underline" : "none")};
`;

export interface RunStripProps {
  status: Status;
  verdict: { out: string[]; known: boolean };
  ended: { name: string; id: string; at: number } | null;
  onBegin: () => void;
  onMark: () => void;
  onEnd: () => void;
}

/** The run is a place: pale while idle, deep green while logging. */
export function RunStrip({ status, verdict, ended, onBegin, onMark, onEnd }: RunStripProps) {
  if (status.run)
    return <Logging run={status.run} status={status} verdict={verdict} onMark={onMark} onEnd={onEnd} />;
  return (
    <Strip $on={false} aria-label="Run">
      <div className="cell">
        <div className="strong" style={{ fontSize: 17 }}>
          Not logging
        </div>
        <div className="small">
          {ended ? (
            <>
              “{ended.name}” ended {moment(ended.at)}. <a href={`/logbook/${ended.id}`}>Look at the run</a>
            </>
          ) : (
            "Values are shown and kept for an hour; nothing is written to a file."
          )}
        </div>
      </div>
      <div className="room" />
      <Button $kind="bright" onPress={onBegin} isDisabled={!status.channels.length}>
        Begin a run <Key>B</Key>
      </Button>
    </Strip>
  );
}

interface LoggingProps extends Pick<RunStripProps, "verdict" | "onMark" | "onEnd"> {
  run: RunStatus;
  status: Status;
}

function Logging({ run, status, verdict, onMark, onEnd }: LoggingProps) {
  const [now, setNow] = useState(() => connection.now());
  useEffect(() => {
    const timer = setInterval(() => setNow(connection.now()), 200);
    return () => clearInterval(timer);
  }, []);
  const begun = run.begun_at / 1000;
  const saved = run.saved_at ? Math.max(0, (now - run.saved_at / 1000) / 1000) : null;
  const lost = run.counts.missed + run.counts.gave_up;
  return (
    <Strip $on aria-label="Run">
      <div className="cell">
        <div className="small">Logging since {moment(begun, now)}</div>
        <div className="big" data-testid="elapsed">
          {elapsed(now - begun)}
        </div>
      </div>
      <div className="cell" style={{ flex: "none", maxWidth: 280 }}>
        <div className="small">Run</div>
        <div className="strong" title={run.name}>
          {run.name}
        </div>
      </div>
      {(run.item || run.operator) && (
        <div className="cell second" style={{ flex: "none", maxWidth: 170 }}>
          <div className="small">{run.item ? "Test item" : "Operator"}</div>
          <div className="strong" title={run.item}>
            {run.item || run.operator}
          </div>
        </div>
      )}
      <div className="cell third" style={{ flex: "none", maxWidth: 210 }}>
        <div className="small">
          {status.disk.hours_left ? `disk for ${hours(status.disk.hours_left)}` : "no end planned"}
        </div>
        <Verdict $out={verdict.out.length > 0} title={verdictWords(verdict)}>
          {verdictWords(verdict)}
        </Verdict>
      </div>
      <div className="cell">
        <div className="small" title={`${run.folder}/${run.csv}`}>
          {run.csv}
        </div>
        <div className="strong" data-testid="rows">
          {count(run.rows)} rows
          {saved === null ? "" : `, saved ${Math.floor(saved)} s ago`}
          {lost > 0 && `, ${count(lost)} ${lost === 1 ? "poll" : "polls"} lost`}
        </div>
      </div>
      <div className="room" />
      <OnDark className="bright" onPress={onMark}>
        Mark <Key>M</Key>
      </OnDark>
      <OnDark onPress={onEnd}>End run</OnDark>
    </Strip>
  );
}

function verdictWords(verdict: { out: string[]; known: boolean }): string {
  if (verdict.out.length) return `outside limits: ${verdict.out.join(", ")}`;
  return verdict.known ? "all within limits" : "no value to judge";
}
