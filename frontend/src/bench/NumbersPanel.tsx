import { type ReactNode, useEffect, useState } from "react";
import styled from "styled-components";
import { clock, figure, length, moment } from "../look/format";
import { mono } from "../look/theme";
import type { Samples } from "../live/samples";
import { statsOf } from "../live/stats";
import type { Cursor } from "./cursor";
import type { LaneView } from "./Lane";
import { isState, type LaneChannel } from "./lanes";

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
  samples: Samples;
  past: Samples | null;
  view: () => LaneView;
  cursor: Cursor;
  height: number | string;
  tools?: ReactNode;
}

/** Statistics of what is shown, or of what lies between the two cursors. */
export function NumbersPanel(props: NumbersPanelProps) {
  const { channels, samples, past, view, cursor, height, tools } = props;
  const [, tick] = useState(0);
  useEffect(() => {
    const timer = setInterval(() => tick((n) => n + 1), 1000);
    const leave = cursor.subscribe(() => tick((n) => n + 1));
    return () => {
      clearInterval(timer);
      leave();
    };
  }, [cursor]);
  const whole = view();
  const between = cursor.at !== null && cursor.from !== null;
  const start = between ? Math.min(cursor.at ?? 0, cursor.from ?? 0) : whole.start;
  const end = between ? Math.max(cursor.at ?? 0, cursor.from ?? 0) : whole.end;
  const cell = (value: number, decimals: number): string =>
    Number.isFinite(value) ? figure(value, decimals) : "–";
  return (
    <Panel aria-label="Statistics" style={{ height }}>
      <header>
        <h2>Statistics</h2>
        <span>
          {between ? "between the cursors" : "of what is shown"}: {moment(start)} to {clock(end)},{" "}
          {length(end - start)}
        </span>
        {tools}
      </header>
      <table>
        <thead>
          <tr>
            <th scope="col">Channel</th>
            {["Mean", "Lowest", "Highest", "Std deviation", "Slope per hour", "Samples"].map((head) => (
              <th scope="col" key={head}>
                {head}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {channels.map((channel) => {
            const series = samples.of(channel.number);
            const older = past && (series.length === 0 || (series.times[0] ?? 0) > start + 1000);
            const stats = statsOf(older ? past.of(channel.number) : series, start, end);
            const more = channel.decimals + 1;
            if (isState(channel))
              return (
                <tr key={channel.id}>
                  <th scope="row">{channel.name}</th>
                  <td colSpan={5}>{channel.states?.join(", ")}</td>
                  <td>{older ? "from summaries" : stats.count}</td>
                </tr>
              );
            return (
              <tr key={channel.id}>
                <th scope="row">
                  {channel.name} {channel.unit && `[${channel.unit}]`}
                </th>
                <td>{cell(stats.mean, more)}</td>
                <td>{cell(stats.min, channel.decimals)}</td>
                <td>{cell(stats.max, channel.decimals)}</td>
                <td>{cell(stats.sd, more + 1)}</td>
                <td>{cell(stats.slope, more)}</td>
                <td>{older ? "from summaries" : stats.count}</td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </Panel>
  );
}
