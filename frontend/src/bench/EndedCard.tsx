import { useMutation, useQuery } from "@tanstack/react-query";
import { Link, useNavigate } from "react-router";
import styled from "styled-components";
import { api, got, type RunDetail, said } from "../api/client";
import { useAct } from "../api/useAct";
import { count, length, moment } from "../look/format";
import type { Ended } from "../live/connection";
import { Button } from "../parts/Button";
import { Fact, Facts } from "../parts/Facts";
import { Trouble } from "../parts/Window";
import { repeat } from "./plan";

const Card = styled.section`
  background: var(--panel);
  border: 2px solid var(--logging);
  border-radius: var(--radius);
  padding: 12px 16px;
  display: grid;
  gap: 10px;
  h2 {
    font-size: 19px;
  }
  .acts {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    align-items: center;
  }
  code {
    overflow-wrap: anywhere;
    font-size: 12.5px;
    color: var(--quiet);
  }
`;

const SERIOUS = new Set(["low", "high", "stuck", "alarm", "stopped", "unmeasured"]);

/** What a run came to, in one sentence: whether anything called for a person. */
export function outcome({ alarms, crossings }: Pick<RunDetail, "alarms" | "crossings">): string {
  if (!alarms) return "no alarm";
  const names = new Set(crossings.filter((one) => SERIOUS.has(one.state)).map((one) => one.name));
  return `${count(alarms)} ${alarms === 1 ? "alarm" : "alarms"}: ${[...names].join(", ")}`;
}

/** The end of a run, whoever ended it: why, what it came to, how complete it is, where the file is, and what is next. */
export function EndedCard({ ended, links, onClose }: { ended: Ended; links: string[]; onClose: () => void }) {
  const { run } = ended;
  const go = useNavigate();
  const detail = useQuery({
    queryKey: ["run", run.id],
    queryFn: () => got(api.GET("/api/runs/{key}", { params: { path: { key: run.id } } })),
    // The records follow the run's folder a moment later.
    refetchInterval: (query) => (query.state.data?.ended_at ? false : 1000),
    retry: 5,
  }).data;
  const release = useMutation({
    mutationFn: () =>
      Promise.all(links.map((link) => got(api.POST("/api/ports/release", { body: { link } })))),
  });
  const act = useAct();
  const again = (): void =>
    act.run(async () => {
      await repeat(run.id);
      onClose();
      void go("/?begin");
    });
  const end = detail?.ended_at ? detail.ended_at / 1000 : ended.at;
  const lost = run.counts.missed + run.counts.gave_up;
  return (
    <Card aria-label="The run has ended">
      <h2>“{run.name}” has ended</h2>
      <Facts>
        <Fact name="Why" text={detail?.reason || "…"} />
        <Fact name="At" text={moment(end)} />
        <Fact name="Length" text={length(end - run.begun_at / 1000)} />
        <Fact name="Alarms" text={detail ? outcome(detail) : "…"} />
        <Fact
          name="Completeness"
          text={`${count(run.counts.polls)} polls, ${lost ? `${count(lost)} without reply or missed` : "all answered"}`}
        />
        <Fact name="Rows" text={count(run.rows)} />
      </Facts>
      <code>
        {run.folder}/{run.csv}
      </code>
      {act.trouble && <Trouble>{act.trouble}</Trouble>}
      {release.error && <Trouble>{said(release.error)}</Trouble>}
      <div className="acts">
        <Link to={`/logbook/${run.id}`}>Look at the run</Link>
        <Button onPress={again}>Repeat with a new test item</Button>
        <Button
          onPress={() => release.mutate()}
          isDisabled={!links.length || release.isPending || release.isSuccess}
        >
          {release.isSuccess ? "The ports are free" : "Release the ports"}
        </Button>
        <Button $kind="plain" onPress={onClose}>
          Close
        </Button>
      </div>
    </Card>
  );
}
