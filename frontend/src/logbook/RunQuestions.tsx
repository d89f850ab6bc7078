import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import styled from "styled-components";
import { api, got, type RunDetail } from "../api/client";
import { useAct } from "../api/useAct";
import type { Cursor } from "../bench/cursor";
import { Chip } from "../parts/Button";
import { NumberEntry } from "../parts/NumberEntry";
import { Fields, Select } from "../parts/Select";
import { Trouble } from "../parts/Window";
import { AnswerCard } from "./AnswerCard";
import { Panel } from "./Panel";
import { type Asked, type Kept, KINDS, type Kind, type Question } from "./questions";
import { WhyValue } from "./WhyValue";
import type { Selection } from "./useSelection";

const Asking = styled(Panel)`
  .ask {
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
    align-items: center;
  }
  .ask > span {
    color: var(--quiet);
    font-size: 13px;
    margin-right: 2px;
  }
`;

/** What a question may be told besides its channel; empty: chosen by the samples. */
interface Told {
  band: number | null;
  hold_s: number | null;
  level: number | null;
  hysteresis: number | null;
}

const NOTHING: Told = { band: null, hold_s: null, level: null, hysteresis: null };
const TAKES: Partial<Record<Kind, (keyof Told)[]>> = {
  steady: ["band", "hold_s"],
  step: ["band"],
  switching: ["level", "hysteresis"],
};

export interface RunQuestionsProps {
  run: RunDetail;
  selection: Selection;
  cursor: Cursor;
  asked: Asked[];
  onAsked: (asked: Asked[]) => void;
  onShow: (at: number) => void;
}

let count = 0;

const keptAs = ({ number, question, answer, by, note }: Kept): Asked => ({
  key: `kept ${number}`,
  question,
  answer,
  kept: number,
  by,
  note,
});

/** Questions about a stretch of a run, and those whose answers are kept with it. */
export function RunQuestions({ run, selection, cursor, asked, onAsked, onShow }: RunQuestionsProps) {
  const numbers = run.numbers;
  const [chosen, setChosen] = useState({ channel: "", other: "" });
  const [last, setLast] = useState<Kind | null>(null);
  const [told, setTold] = useState(NOTHING);
  const [why, setWhy] = useState<number | null>(null);
  const act = useAct();
  const queries = useQueryClient();
  const kept = useQuery({
    queryKey: ["answers", run.id],
    queryFn: () => got(api.GET("/api/runs/{key}/answers", { params: { path: { key: run.id } } })),
    retry: false,
  });
  const channel = numbers.find((one) => one.id === chosen.channel) ?? numbers[0];
  const others = numbers.filter((one) => one.id !== channel?.id && !one.states.length);
  const other = others.find((one) => one.id === chosen.other) ?? others[0];
  const shown = useMemo(() => {
    const here = new Set(asked.map((one) => one.kept));
    return [...asked, ...(kept.data ?? []).filter((one) => !here.has(one.number)).map(keptAs)];
  }, [asked, kept.data]);
  if (!channel) return null;
  const takes = last ? (TAKES[last] ?? []) : [];
  const unit = channel.unit ? `, ${channel.unit}` : "";
  const names: Record<keyof Told, string> = {
    band: last === "step" ? `Settled within ±${unit}` : `Within${unit}`,
    hold_s: "for, s",
    level: `Switches at${unit}`,
    hysteresis: `Hysteresis${unit}`,
  };
  const ask = (kind: Kind, two: boolean, more: Partial<Told> = {}): void =>
    act.run(async () => {
      setLast(kind);
      const question: Question = {
        kind,
        channel: channel.id,
        start: Math.round(selection.start * 1000),
        end: Math.round(selection.end * 1000) + 1,
        other: two ? (other?.id ?? "") : "",
        ...NOTHING,
        ...more,
      };
      const answer = await got(
        api.POST("/api/runs/{key}/questions", { params: { path: { key: run.id } }, body: question }),
      );
      onAsked(
        [{ key: `asked ${++count}`, question, answer, kept: null, by: "", note: "" }, ...asked].slice(0, 8),
      );
    });
  const keep = async (one: Asked, by: string, note: string): Promise<void> => {
    if (!one.question) return;
    const found = await got(
      api.POST("/api/runs/{key}/answers", {
        params: { path: { key: run.id } },
        body: { question: one.question, by, note },
      }),
    );
    onAsked(asked.map((old) => (old.key === one.key ? { ...keptAs(found), key: one.key } : old)));
    await queries.invalidateQueries({ queryKey: ["answers", run.id] });
  };
  const forget = async (one: Asked): Promise<void> => {
    if (one.kept !== null)
      await got(
        api.DELETE("/api/runs/{key}/answers/{number}", {
          params: { path: { key: run.id, number: one.kept } },
        }),
      );
    onAsked(asked.filter((old) => old.key !== one.key));
    await queries.invalidateQueries({ queryKey: ["answers", run.id] });
  };
  return (
    <Asking aria-label="Questions">
      <div className="ask">
        <span>Ask</span>
        <Select
          label="Channel"
          small
          value={channel.id}
          options={numbers.map(({ id, name }) => ({ value: id, text: name }))}
          onChange={(id) => setChosen({ ...chosen, channel: id })}
          width={180}
        />
        {KINDS.filter(({ two }) => !two).map(({ kind, words }) => (
          <Chip key={kind} $chosen={last === kind} onPress={() => ask(kind, false)} isDisabled={act.busy}>
            {words}
          </Chip>
        ))}
        {other && (
          <>
            {KINDS.filter(({ two }) => two).map(({ kind, words }) => (
              <Chip key={kind} $chosen={last === kind} onPress={() => ask(kind, true)} isDisabled={act.busy}>
                {words}
              </Chip>
            ))}
            <Select
              label="The other channel"
              small
              value={other.id}
              options={others.map(({ id, name }) => ({ value: id, text: name }))}
              onChange={(id) => setChosen({ ...chosen, other: id })}
              width={180}
            />
          </>
        )}
        <Chip
          onPress={() => setWhy(cursor.at ?? selection.end)}
          aria-label={`Why this value of ${channel.name}`}
        >
          why this value
        </Chip>
      </div>
      {last && takes.length > 0 && (
        <Fields>
          {takes.map((key) => (
            <NumberEntry
              key={`${last} ${key}`}
              label={names[key]}
              value={told[key]}
              onValue={(value) => setTold({ ...told, [key]: value })}
              width={130}
              empty
              placeholder="by the samples"
            />
          ))}
          <Chip
            style={{ alignSelf: "end", minHeight: 36 }}
            isDisabled={act.busy}
            onPress={() => ask(last, false, Object.fromEntries(takes.map((key) => [key, told[key]])))}
          >
            Ask again
          </Chip>
        </Fields>
      )}
      {act.trouble && <Trouble>{act.trouble}</Trouble>}
      {kept.isError && <Trouble>{kept.error.message}</Trouble>}
      {why !== null && (
        <WhyValue
          run={run.id}
          channel={channel.id}
          at={why}
          onAt={(at) => {
            setWhy(at);
            onShow(at);
          }}
          onChannel={(id) => setChosen({ ...chosen, channel: id })}
          onClose={() => setWhy(null)}
        />
      )}
      {shown.length > 0 && (
        <div className="answers">
          {shown.map((one) => (
            <AnswerCard
              key={one.key}
              one={one}
              onKeep={(by, note) => keep(one, by, note)}
              onForget={() => forget(one)}
              onShow={onShow}
            />
          ))}
        </div>
      )}
    </Asking>
  );
}
