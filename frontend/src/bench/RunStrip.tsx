import { Button as AriaButton } from "react-aria-components";
import { Link } from "react-router";
import styled from "styled-components";
import type { RunStatus, Schemas, Status } from "../api/client";
import { clock, count, elapsed, hours, moment } from "../look/format";
import { digits } from "../look/theme";
import { connection, useBeat } from "../live/connection";
import { Button, Key } from "../parts/Button";

const Strip = styled.section<{ $on: boolean; $waits?: boolean }>`
  display: flex;
  align-items: center;
  gap: 20px;
  min-height: 64px;
  padding: 8px 16px;
  border-radius: var(--radius);
  border: 1px ${({ $waits }) => ($waits ? "dashed" : "solid")}
    ${({ $on, $waits }) => ($on ? "var(--logging)" : $waits ? "var(--action)" : "var(--hairline)")};
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
  .rest {
    flex: 1 1 150px;
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
    > .cell:first-child {
      flex: 0 1 auto;
    }
    .second {
      display: none;
    }
    .rest {
      flex-basis: 100%;
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
  /* Two lines rather than a cut one: more than the strip's rule for its cells says. */
  &&& {
    display: -webkit-box;
    -webkit-box-orient: vertical;
    -webkit-line-clamp: 2;
    white-space: normal;
    line-height: 1.15;
  }
  text-decoration: ${({ $out }) => ($out ? "underline" : "none")};
`;

const Ends = styled(AriaButton)`
  /* More than the strip's rule for its buttons says: it gives way like a cell, as far as the time left. */
  &&& {
    flex: 0 1 auto;
  }
  min-width: 112px;
  max-width: 260px;
  display: grid;
  justify-items: start;
  padding: 2px 8px;
  margin: 0 -8px;
  border: 0;
  border-radius: 6px;
  background: none;
  color: inherit;
  cursor: pointer;
  text-align: left;
  .strong {
    max-width: 100%;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    text-decoration: underline;
    text-underline-offset: 3px;
    font-variant-numeric: tabular-nums;
  }
  &[data-focus-visible] {
    outline: 3px solid var(--loggingInk);
  }
`;

export interface RunStripProps {
  status: Pick<Status, "run" | "armed" | "verdict" | "disk">;
  /** What the run that waits begins by. */
  begins?: string;
  /** How many channels there are, and instruments that send curves. */
  channels: number;
  /** Whether the bench is heard: what was known before must not look like now. */
  heard: boolean;
  onBegin: () => void;
  onMark: () => void;
  onEnd: () => void;
  /** What ends the run is to be changed. */
  onEnds: () => void;
  /** The run that waits is to begin now, or not at all. */
  onBeginNow: () => void;
  onCallOff: () => void;
}

/** The run is a place: pale while idle, deep green while logging. */
export function RunStrip({
  status,
  channels,
  heard,
  begins = "",
  onBegin,
  onMark,
  onEnd,
  onEnds,
  onBeginNow,
  onCallOff,
}: RunStripProps) {
  if (status.run)
    return (
      <Logging run={status.run} status={status} heard={heard} onMark={onMark} onEnd={onEnd} onEnds={onEnds} />
    );
  if (status.armed)
    return (
      <Waiting
        armed={status.armed}
        heard={heard}
        begins={begins}
        onBeginNow={onBeginNow}
        onCallOff={onCallOff}
      />
    );
  return (
    <Strip $on={false} aria-label="Run">
      <div className="cell">
        <div className="strong" style={{ fontSize: 17 }}>
          Not logging
        </div>
        <div className="small">Values are shown and kept for an hour; nothing is written to a file.</div>
      </div>
      <div className="room" />
      <Button $kind="bright" onPress={onBegin} isDisabled={!channels}>
        Begin a run <Key>B</Key>
      </Button>
    </Strip>
  );
}

interface WaitingProps extends Pick<RunStripProps, "heard" | "onBeginNow" | "onCallOff"> {
  armed: Schemas["ArmedStatus"];
  begins: string;
}

/** A run that waits for what begins it: nothing is written yet. */
function Waiting({ armed, heard, begins, onBeginNow, onCallOff }: WaitingProps) {
  useBeat(heard);
  const now = heard ? connection.now() : connection.heardAt();
  const left = armed.begins_at === null ? null : Math.max(0, armed.begins_at / 1000 - now);
  return (
    <Strip $on={false} $waits aria-label="Run">
      <div className="cell">
        <div className="small">
          {heard ? "Armed, not logging yet" : `As of ${clock(now)}: armed, not logging`}
        </div>
        <div className="big" data-testid="begins">
          {left === null ? "waits" : `in ${elapsed(left)}`}
        </div>
      </div>
      <div className="cell" style={{ flex: "0 1 auto", minWidth: 120 }}>
        <div className="small">{armed.item || armed.operator || "Run"}</div>
        <div className="strong" title={armed.name}>
          {armed.name}
        </div>
      </div>
      <div className="cell rest">
        <div className="small">Begins</div>
        <Verdict $out={false}>{begins}</Verdict>
      </div>
      <Button $kind="bright" onPress={onBeginNow}>
        Begin now
      </Button>
      <Button onPress={onCallOff}>Call off</Button>
    </Strip>
  );
}

interface LoggingProps extends Pick<RunStripProps, "heard" | "onMark" | "onEnd" | "onEnds"> {
  run: RunStatus;
  status: Pick<Status, "verdict" | "disk">;
}

function Logging({ run, status, heard, onMark, onEnd, onEnds }: LoggingProps) {
  useBeat(heard);
  // The strip never runs on with an old status.
  const now = heard ? connection.now() : connection.heardAt();
  const begun = run.begun_at / 1000;
  const saved = run.saved_at ? Math.max(0, (now - run.saved_at / 1000) / 1000) : null;
  const { verdict } = status;
  const words = heard ? verdictWords(verdict) : `not known: not heard since ${clock(now)}`;
  const lost = run.counts.missed + run.counts.gave_up;
  return (
    <Strip $on aria-label="Run">
      <div className="cell">
        <div className="small">
          {heard
            ? `Logging since ${moment(begun, now)}`
            : `As of ${clock(now)}: logging since ${moment(begun, now)}`}
        </div>
        <div className="big" data-testid="elapsed">
          {elapsed(now - begun)}
        </div>
      </div>
      <div className="cell" style={{ flex: "0 1 auto", minWidth: 120, maxWidth: 280 }}>
        <div className="small" title={`${run.folder}/${run.csv}`}>
          {run.csv}
        </div>
        <div className="strong" title={run.name}>
          {run.calibrates ? (
            <Link to={`/calibrate/${run.calibrates.channel}`} style={{ color: "inherit" }}>
              {run.name}
            </Link>
          ) : (
            run.name
          )}
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
      <div className="cell" style={{ flex: "0 1 auto", minWidth: 150, maxWidth: 360 }}>
        <div className="small">Limits</div>
        <Verdict $out={!heard || verdict.state === "beyond"} title={words} data-testid="verdict">
          {words}
        </Verdict>
      </div>
      {endsByItself(run) && (
        <Ends onPress={onEnds} aria-haspopup="dialog">
          <span className="small">Ends</span>
          <span className="strong" data-testid="ends">
            {heard ? endsIn(run, now) : "not known"}
          </span>
        </Ends>
      )}
      {status.disk.hours_left !== null && (
        <div className="cell third" style={{ flex: "none" }}>
          <div className="small">Disk lasts</div>
          <div className="strong">{hours(status.disk.hours_left)}</div>
        </div>
      )}
      <div className="cell" style={{ flex: "none" }}>
        <div className="small">{saved === null ? "Logged" : `Saved ${Math.floor(saved)} s ago`}</div>
        <div className="strong" data-testid="rows">
          {count(run.rows)} {run.rows === 1 ? "row" : "rows"}
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

/** How everything that has limits stands, in a line: “all within” is said only when all of it is known. */
export function verdictWords(verdict: Schemas["Verdict"]): string {
  const unknown = verdict.unknown.map((one) => `${one.name} (${one.words})`).join(", ");
  const cautions = verdict.cautions.length > 0 ? `; caution: ${verdict.cautions.join(", ")}` : "";
  switch (verdict.state) {
    case "beyond":
      return `outside limits: ${verdict.beyond.join(", ")}${unknown && `; not known: ${unknown}`}`;
    case "not all known":
      return `not all known: ${unknown}`;
    case "within":
      return `all within limits${cautions}`;
    default:
      return "no limits set";
  }
}

/** Whether anything ends a run but a person. */
function endsByItself({ ends }: Pick<RunStatus, "ends">): boolean {
  return (
    ends.rows != null ||
    ends.after_s != null ||
    ends.at != null ||
    ends.when.length > 0 ||
    ends.settled != null
  );
}

/** What ends a run next, as short as the strip has room for. */
export function endsIn(run: Pick<RunStatus, "ends" | "ends_at" | "rows" | "unsettled">, now: number): string {
  const { ends, ends_at } = run;
  const parts: string[] = [];
  if (ends_at !== null) parts.push(`in ${elapsed(Math.max(0, ends_at / 1000 - now))}`);
  if (ends.rows != null) parts.push(`in ${count(Math.max(0, ends.rows - run.rows))} rows`);
  if (ends.settled)
    parts.push(run.unsettled.length ? `settled (not yet ${run.unsettled.join(", ")})` : "settled");
  if (ends.when.length) parts.push(ends.when.length === 1 ? "on a level" : `on ${ends.when.length} levels`);
  return parts.join(" or ");
}
