import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import styled from "styled-components";
import { api, got, type RunStatus, said } from "../api/client";
import { moment } from "../look/format";
import { Button, Chip } from "../parts/Button";
import { wanted } from "./calls";
import type { Alarm } from "./useAlarms";

const Box = styled.section`
  margin: 0 12px 10px;
  background: var(--faultGround);
  color: var(--fault);
  border: 2px solid var(--fault);
  border-radius: var(--radius);
  padding: 8px 14px;
  display: flex;
  align-items: center;
  gap: 8px 12px;
  flex-wrap: wrap;
  ol {
    list-style: none;
    margin: 0;
    padding: 0;
    flex: 1;
    min-width: 240px;
    max-height: 40vh;
    overflow-y: auto;
  }
  li {
    color: var(--ink);
  }
  li:first-child {
    font-weight: 700;
    font-size: 17px;
    color: var(--fault);
  }
  @media (max-width: 719px) {
    ol {
      flex-basis: 100%;
    }
  }
  .small {
    font-weight: 400;
    font-size: 13px;
    color: var(--ink);
  }
`;

export interface AlarmBannerProps {
  alarms: Alarm[];
  run: Pick<RunStatus, "name" | "operator"> | null;
  onSettings: () => void;
}

/** What calls for a person, on every page: the first cause first. It stays until somebody has seen it. */
export function AlarmBanner({ alarms, run, onSettings }: AlarmBannerProps) {
  const [all, setAll] = useState(false);
  const known = alarms.filter((one) => one.id > 0).map((one) => one.id);
  const seen = useMutation({
    mutationFn: () =>
      got(
        api.POST("/api/crossings/acknowledge", {
          body: { crossings: known, by: wanted().person || run?.operator || "" },
        }),
      ),
  });
  const [first, ...others] = alarms;
  if (!first) return null;
  const shown = all ? others : others.slice(0, 1);
  return (
    <Box role="alert" data-testid="crossings">
      <ol>
        <li>
          {first.words}{" "}
          <span className="small">
            since {moment(first.since)}
            {first.over > 0 && `, over at ${moment(first.over)}`}
          </span>
        </li>
        {shown.map((one) => (
          <li key={one.id}>
            then {one.words}, {moment(one.since)}
            {one.over > 0 && `, over at ${moment(one.over)}`}
          </li>
        ))}
        <li className="small" style={{ color: "var(--ink)" }}>
          {first.id === 0
            ? ""
            : run
              ? `The run “${run.name}” is still being logged.`
              : "Nothing is being logged."}
          {others.length > shown.length && ` ${others.length - shown.length} more.`}
          {seen.error && ` ${said(seen.error)}`}
        </li>
      </ol>
      {others.length > 1 && <Chip onPress={() => setAll(!all)}>{all ? "fewer" : "all"}</Chip>}
      <Chip onPress={onSettings}>sound and notices</Chip>
      {known.length > 0 && (
        <Button onPress={() => seen.mutate()} isDisabled={seen.isPending}>
          Seen
        </Button>
      )}
    </Box>
  );
}
