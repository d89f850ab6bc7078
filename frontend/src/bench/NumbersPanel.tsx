import { type ReactNode, useCallback, useEffect, useReducer } from "react";
import styled from "styled-components";
import type { Schemas } from "../api/client";
import { count, figure, length, moment } from "../look/format";
import { mono } from "../look/theme";
import { useStatistics } from "../live/useStatistics";
import { Trouble } from "../parts/Trouble";
import type { Cursor } from "./cursor";
import { isState, type LaneChannel, type LaneView } from "./lanes";

const Panel = styled.section`
  background: var(--panel);
  border: 1px solid var(--hairline);
  border-radius: var(--radius);
  padding: 8px 14px;
  overflow: auto;
  table {
    border-collapse: collapse;
    width: 100%;
    font-size: 13px;
  }
  header {
    display: flex;
    align-items: center;
    gap: 10px;
    padding-bottom: 4px;
    color: var(--quiet);
    font-size: 13px;
    position: sticky;
    top: -8px;
    background: var(--panel);
  }
  h2 {
    font-size: 14px;
    color: var(--ink);
  }
  th {
    font-weight: 600;
    text-align: right;
    color: var(--quiet);
    padding: 2px 8px;
  }
  th:first-child,
  tbody th {
    text-align: left;
    color: var(--ink);
    white-space: nowrap;
    padding-left: 0;
  }
  td {
    font: 13px/1.5 ${mono};
    text-align: right;
    padding: 0 8px;
    white-space: nowrap;
  }
`;

export interface NumbersPanelProps {
  channels: LaneChannel[];
  /** Whether the view follows the time. */
  live: boolean;
  view: () => LaneView;
  cursor: Cursor;
  height: number | string;
  tools?: ReactNode;
}

const HEADS = [
  "Mean",
  "Lowest",
  "Highest",
  "Std deviation",
  "Slope per hour",
  "Samples",
  "Measured",
  "Covers",
];

/** Statistics of what is shown, or of what lies between the two cursors: exact, with the time that they cover. */
export function NumbersPanel({ channels, live, view, cursor, height, tools }: NumbersPanelProps) {
  const [, again] = useReducer((n: number) => n + 1, 0);
  useEffect(() => cursor.subscribe(again), [cursor]);
  const { at, from } = cursor;
  const between = at !== null && from !== null;
  const stretch = useCallback(() => {
    if (at !== null && from !== null) return { start: Math.min(at, from), end: Math.max(at, from) };
    const { start, end } = view();
    return { start, end };
    // Where only one cursor is moved, the stretch stays.
  }, [view, between ? at : null, from]); // eslint-disable-line react-hooks/exhaustive-deps
  const { answer, error } = useStatistics(stretch, live && !between ? 1000 : null);
  const of = new Map(answer?.channels.map((one) => [one.id, one.statistics]));
  return (
    <Panel aria-label="Statistics" style={{ height }}>
      <header>
        <h2>Statistics</h2>
        <span>
          {answer
            ? `${between ? "between the cursors" : "of what is shown"}: ${moment(answer.start / 1000)} to ${moment(
                answer.end / 1000,
              )}, ${length((answer.end - answer.start) / 1000)}`
            : "being worked out …"}
        </span>
        {tools}
      </header>
      {(error || answer?.why) && <Trouble>{error || answer?.why}</Trouble>}
      <table>
        <thead>
          <tr>
            <th scope="col">Channel</th>
            {HEADS.map((head) => (
              <th scope="col" key={head}>
                {head}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {channels.map((channel) => (
            <Numbers key={channel.id} channel={channel} found={of.get(channel.id)} />
          ))}
        </tbody>
      </table>
    </Panel>
  );
}

function Numbers({ channel, found }: { channel: LaneChannel; found: Schemas["Statistics"] | undefined }) {
  const cell = (value: number | null | undefined, decimals: number): string =>
    value == null ? "–" : figure(value, decimals);
  const more = channel.decimals + 1;
  const words = Object.entries(found?.states ?? {});
  const { samples = 0, measured = 0, first, last } = found ?? {};
  return (
    <tr>
      <th scope="row">
        {channel.name} {channel.unit && `[${channel.unit}]`}
      </th>
      {isState(channel) ? (
        <td colSpan={5}>{words.map(([word, times]) => `${word} ${count(times)}`).join(", ") || "–"}</td>
      ) : (
        <>
          <td>{cell(found?.mean, more)}</td>
          <td>{cell(found?.minimum, channel.decimals)}</td>
          <td>{cell(found?.maximum, channel.decimals)}</td>
          <td>{cell(found?.sd, more + 1)}</td>
          <td>{cell(found?.slope_per_h, more)}</td>
        </>
      )}
      <td>{found ? count(samples) : "–"}</td>
      <td>{samples ? share(measured / samples) : "–"}</td>
      <td title={first != null && last != null ? `${moment(first / 1000)} to ${moment(last / 1000)}` : ""}>
        {first != null && last != null ? length((last - first) / 1000) : "–"}
      </td>
    </tr>
  );
}

/** 100 %, 99.8 %: all of them is said only where it is all of them. */
export function share(part: number): string {
  if (part === 1) return "100 %";
  return `${Math.min(99.9, Math.floor(part * 1000) / 10).toFixed(1)} %`;
}
