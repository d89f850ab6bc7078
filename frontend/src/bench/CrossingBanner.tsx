import { useMutation } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import styled from "styled-components";
import { api, got, type RunStatus, said, type Schemas } from "../api/client";
import { moment } from "../look/format";
import { Button, Chip } from "../parts/Button";
import { alarm, wanted, want } from "./alarm";

type Crossing = Schemas["OpenCrossing"];

const Box = styled.section`
  background: var(--faultGround);
  color: var(--fault);
  border: 2px solid var(--fault);
  border-radius: var(--radius);
  padding: 8px 14px;
  display: flex;
  align-items: center;
  gap: 12px;
  flex-wrap: wrap;
  ol {
    list-style: none;
    margin: 0;
    padding: 0;
    flex: 1;
    min-width: 240px;
  }
  li {
    color: var(--ink);
  }
  li:first-child {
    font-weight: 700;
    font-size: 17px;
    color: var(--fault);
  }
  .small {
    font-weight: 400;
    font-size: 13px;
    color: var(--ink);
  }
`;

export interface CrossingBannerProps {
  crossings: Crossing[];
  run: RunStatus | null;
}

/** What crossed its limits and nobody has acknowledged: the first cause first. It stays until a person has seen it. */
export function CrossingBanner({ crossings, run }: CrossingBannerProps) {
  const [all, setAll] = useState(false);
  const [calls, setCalls] = useState(wanted);
  const newest = useRef(0);
  const seen = useMutation({
    mutationFn: () =>
      got(
        api.POST("/api/crossings/acknowledge", {
          body: { crossings: crossings.map((one) => one.id), by: "" },
        }),
      ),
  });
  useEffect(() => {
    const last = crossings.at(-1);
    if (last && last.id > newest.current) {
      newest.current = last.id;
      alarm(last.crossing.words);
    }
  }, [crossings]);
  const [first, ...others] = crossings;
  if (!first) return null;
  const shown = all ? others : others.slice(0, 1);
  const toggle = (what: "sound" | "notice"): void => {
    void want(what, !calls[what]).then(setCalls);
  };
  return (
    <Box role="alert" data-testid="crossings">
      <ol>
        <li>
          {first.crossing.words}{" "}
          <span className="small">
            since {moment(first.crossing.at / 1000)}
            {first.back_at > 0 && `, back within at ${moment(first.back_at / 1000)}`}
          </span>
        </li>
        {shown.map((one) => (
          <li key={one.id}>
            then {one.crossing.words}, {moment(one.crossing.at / 1000)}
            {one.back_at > 0 && `, back at ${moment(one.back_at / 1000)}`}
          </li>
        ))}
        <li className="small" style={{ color: "var(--ink)" }}>
          {run ? `The run “${run.name}” is logged on.` : "Nothing is being logged."}
          {others.length > shown.length && ` ${others.length - shown.length} more.`}
          {seen.error && ` ${said(seen.error)}`}
        </li>
      </ol>
      {others.length > 1 && <Chip onPress={() => setAll(!all)}>{all ? "fewer" : "all"}</Chip>}
      <Chip $chosen={calls.sound} aria-pressed={calls.sound} onPress={() => toggle("sound")}>
        sound
      </Chip>
      <Chip $chosen={calls.notice} aria-pressed={calls.notice} onPress={() => toggle("notice")}>
        browser notice
      </Chip>
      <Button onPress={() => seen.mutate()} isDisabled={seen.isPending}>
        Seen
      </Button>
    </Box>
  );
}
