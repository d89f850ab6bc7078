import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, type Schemas } from "../api/client";
import { useAct } from "../api/useAct";
import type { Cursor } from "../bench/cursor";
import { operators } from "../bench/plan";
import { Button, Chip } from "../parts/Button";
import { Field } from "../parts/Field";
import { NumberEntry } from "../parts/NumberEntry";
import { Fields, Select } from "../parts/Select";
import { Tick } from "../parts/Tick";
import { Trouble } from "../parts/Window";
import { AnswerCard } from "./AnswerCard";
import { letterOf, type Member, type shared } from "./compared";
import { Comparisons } from "./Comparisons";
import { Panel } from "./Panel";
import type { Asked } from "./questions";

type Compare = Schemas["Compare"];
type Corner = Schemas["CorridorCorner"];
type Kind = "none" | "reference" | "deviations" | "corridor";

const BANDS: { value: Kind; text: string }[] = [
  { value: "none", text: "none: differences alone" },
  { value: "reference", text: "about A" },
  { value: "deviations", text: "about several runs, by deviations" },
  { value: "corridor", text: "a corridor from corner to corner" },
];

/** Runs that a band by deviations is made from at the least. */
const LEAST_RUNS = 3;
const CORNERS = 200;

export interface DifferencesProps {
  members: Member[];
  channels: ReturnType<typeof shared>;
  start: number;
  end: number;
  cursor: Cursor;
  asked: Asked[];
  onAsked: (asked: Asked[]) => void;
  onShow: (at: number) => void;
}

let count = 0;

/** How far each lies off the first, and whether it stays within a band. */
export function Differences(props: DifferencesProps) {
  const { members, channels, start, end, cursor, asked, onAsked, onShow } = props;
  const [chosen, setChosen] = useState("");
  const [kind, setKind] = useState<Kind>("none");
  const [allowed, setAllowed] = useState<number | null>(null);
  const [percent, setPercent] = useState<number | null>(null);
  const [factor, setFactor] = useState<number | null>(3);
  /** Places of the runs that a band by deviations is made from, A among them always. */
  const [made, setMade] = useState<number[]>([]);
  const [corners, setCorners] = useState<Corner[]>([]);
  const [troubles, setTroubles] = useState<string[]>([]);
  const [last, setLast] = useState<{ place: number; asked: Compare }[]>([]);
  const act = useAct();
  const one = channels.find(({ channel }) => channel.id === chosen) ?? channels[0];
  const reference = members[0];
  if (!one || !reference) return null;
  const { channel } = one;
  const placeOf = (place: number): { run: string; at: number; channel: string } | null => {
    const [member, mine] = [members[place], one.of[place]];
    return member && mine ? { run: member.run.id, at: Math.round(member.at * 1000), channel: mine.id } : null;
  };
  const from = [0, ...made.filter((place) => place < members.length)];
  const lacks =
    (kind === "reference" && allowed === null && percent === null ? "Give how far it may lie off." : "") ||
    (kind === "deviations" && from.length < LEAST_RUNS ? `Tick ${LEAST_RUNS} runs or more.` : "") ||
    (kind === "corridor" && corners.length < 2 ? "Give two corners or more." : "");
  const compare = (): void =>
    act.run(async () => {
      const first = placeOf(0);
      if (!first) return;
      const tested = members
        .map((_, place) => place)
        .filter((place) => (kind === "corridor" ? true : place > 0))
        .filter((place) => kind !== "deviations" || from.length === members.length || !from.includes(place));
      const wanted = tested.flatMap((place): { place: number; asked: Compare }[] => {
        const of = placeOf(place);
        if (!of) return [];
        // By the times of A; A itself has no reference but a corridor.
        return [
          {
            place,
            asked: {
              of,
              reference: place === 0 ? null : first,
              start: Math.round(start * 1000),
              end: Math.round(end * 1000) + 1,
              allowed: kind === "reference" ? allowed : null,
              percent: kind === "reference" ? percent : null,
              deviations: kind === "deviations" ? factor : null,
              others: kind === "deviations" ? made.flatMap((each) => placeOf(each) ?? []) : [],
              corridor: kind === "corridor" ? corners : [],
            },
          },
        ];
      });
      const answers = await Promise.allSettled(
        wanted.map((each) => got(api.POST("/api/compare", { body: each.asked }))),
      );
      setTroubles(
        answers.flatMap((answer, n) =>
          answer.status === "rejected"
            ? [`${letterOf(wanted[n]?.place ?? 0)}: ${(answer.reason as Error).message}`]
            : [],
        ),
      );
      setLast(wanted.filter((_, n) => answers[n]?.status === "fulfilled"));
      onAsked(
        answers.flatMap((answer, n): Asked[] =>
          answer.status === "fulfilled"
            ? [
                {
                  key: `compared ${++count}`,
                  question: null,
                  answer: {
                    ...answer.value,
                    words: `${letterOf(wanted[n]?.place ?? 0)}, ${answer.value.words}`,
                  },
                  kept: null,
                  by: "",
                  note: "",
                },
              ]
            : [],
        ),
      );
    });
  const unit = channel.unit ? `, ${channel.unit}` : "";
  const moment = reference.at;
  return (
    <Panel aria-label="Difference and band">
      <h2 style={{ fontSize: 15 }}>Difference and band</h2>
      <Fields>
        <Select
          label="Each less A"
          value={channel.id}
          options={channels.map(({ channel: each }) => ({ value: each.id, text: each.name }))}
          onChange={(id) => {
            setChosen(id);
            setLast([]);
            onAsked([]);
          }}
          width={220}
        />
        <Select label="Band" value={kind} options={BANDS} onChange={setKind} width={270} />
        {kind === "reference" && (
          <>
            <NumberEntry
              label={`May lie off by ±${unit}`}
              value={allowed}
              onValue={setAllowed}
              width={150}
              empty
              least={0}
            />
            <NumberEntry
              label="or by ±, %"
              value={percent}
              onValue={setPercent}
              width={110}
              empty
              least={0}
            />
          </>
        )}
        {kind === "deviations" && (
          <NumberEntry
            label="Deviations"
            value={factor}
            onValue={setFactor}
            width={110}
            least={0.1}
            most={100}
          />
        )}
        <Button onPress={compare} isDisabled={act.busy || lacks !== ""} style={{ alignSelf: "end" }}>
          {kind === "none" ? "Difference" : "Difference and verdict"}
        </Button>
      </Fields>
      {kind === "deviations" && (
        <div style={{ display: "flex", gap: 14, flexWrap: "wrap", alignItems: "center" }}>
          <span style={{ color: "var(--quiet)", fontSize: 13 }}>made from</span>
          {members.map((member, place) => (
            <Tick
              key={place}
              on={from.includes(place)}
              isDisabled={place === 0}
              onChange={(on) => setMade(on ? [...made, place] : made.filter((each) => each !== place))}
            >
              {letterOf(place)} {member.run.name}
            </Tick>
          ))}
        </div>
      )}
      {kind === "corridor" && (
        <Corners
          corners={corners}
          unit={unit}
          onCorners={setCorners}
          onCursor={() => {
            if (cursor.at === null) return;
            const after = Math.round(cursor.at - moment) / 1000;
            const last = corners.at(-1);
            setCorners(
              [...corners, { after_s: after, lower: last?.lower ?? null, upper: last?.upper ?? null }].sort(
                (a, b) => a.after_s - b.after_s,
              ),
            );
          }}
        />
      )}
      {lacks && <p style={{ color: "var(--quiet)" }}>{lacks}</p>}
      {[...(act.trouble ? [act.trouble] : []), ...troubles].map((each) => (
        <Trouble key={each}>{each}</Trouble>
      ))}
      {asked.length > 0 && (
        <div className="answers">
          {asked.map((each) => (
            <AnswerCard key={each.key} one={each} onShow={onShow} />
          ))}
        </div>
      )}
      {last.length > 0 && members.length > 1 && (
        <Keep
          body={{
            members: members.map((member) => ({ run: member.run.id, at: Math.round(member.at * 1000) })),
            channel: channel.id,
            start: Math.round(start * 1000),
            end: Math.round(end * 1000) + 1,
            answers: last,
          }}
          run={reference.run.id}
        />
      )}
      <Comparisons run={reference.run.id} />
    </Panel>
  );
}

interface CornersProps {
  corners: Corner[];
  unit: string;
  onCorners: (corners: Corner[]) => void;
  onCursor: () => void;
}

/** The corners of a corridor, in seconds after the moment that runs are aligned at. */
function Corners({ corners, unit, onCorners, onCursor }: CornersProps) {
  const put = (place: number, change: Partial<Corner>): void =>
    onCorners(corners.map((one, n) => (n === place ? { ...one, ...change } : one)));
  const next = (): Corner => {
    const last = corners.at(-1);
    return {
      after_s: last ? last.after_s + 10 : 0,
      lower: last?.lower ?? null,
      upper: last?.upper ?? null,
    };
  };
  return (
    <div style={{ display: "grid", gap: 8, justifyItems: "start" }}>
      {corners.map((one, n) => (
        <Fields key={n}>
          <NumberEntry
            label={`Corner ${n + 1}, s after A’s moment`}
            value={one.after_s}
            onValue={(after) => after !== null && put(n, { after_s: after })}
            width={180}
          />
          <NumberEntry
            label={`Lower${unit}`}
            value={one.lower}
            onValue={(lower) => put(n, { lower })}
            width={120}
            empty
          />
          <NumberEntry
            label={`Upper${unit}`}
            value={one.upper}
            onValue={(upper) => put(n, { upper })}
            width={120}
            empty
          />
          <Chip
            aria-label={`Remove corner ${n + 1}`}
            onPress={() => onCorners(corners.filter((_, m) => m !== n))}
            style={{ alignSelf: "end", marginBottom: 4 }}
          >
            Remove
          </Chip>
        </Fields>
      ))}
      <div style={{ display: "flex", gap: 8 }}>
        <Chip isDisabled={corners.length >= CORNERS} onPress={() => onCorners([...corners, next()])}>
          add a corner
        </Chip>
        <Chip isDisabled={corners.length >= CORNERS} onPress={onCursor}>
          a corner at the cursor
        </Chip>
      </div>
    </div>
  );
}

interface KeepProps {
  run: string;
  body: Omit<Schemas["KeepComparison"], "by" | "note">;
}

/** Keeps a comparison with its first run. */
function Keep({ run, body }: KeepProps) {
  const [note, setNote] = useState("");
  const [kept, setKept] = useState("");
  const act = useAct();
  const client = useQueryClient();
  const key = JSON.stringify(body);
  if (kept === key) return <p role="status">Kept with A.</p>;
  return (
    <Fields>
      <div style={{ flex: "1 1 260px" }}>
        <Field label="Note" value={note} onChange={setNote} longest={500} />
      </div>
      <Button
        style={{ alignSelf: "end" }}
        isDisabled={act.busy}
        onPress={() =>
          act.run(async () => {
            await got(
              api.POST("/api/runs/{key}/comparisons", {
                params: { path: { key: run } },
                body: { ...body, by: operators()[0] ?? "", note },
              }),
            );
            setKept(key);
            await client.invalidateQueries({ queryKey: ["comparisons", run] });
          })
        }
      >
        Keep with A
      </Button>
      {act.trouble && <Trouble>{act.trouble}</Trouble>}
    </Fields>
  );
}
