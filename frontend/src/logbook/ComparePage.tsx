import { keepPreviousData, useQueries, useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { VisuallyHidden } from "react-aria-components";
import { Link, useSearchParams } from "react-router";
import { api, got, type RunDetail, samplesFrom, type Schemas } from "../api/client";
import { useAct } from "../api/useAct";
import { Cursor } from "../bench/cursor";
import { LaneStack } from "../bench/LaneStack";
import { dated, figure, moment } from "../look/format";
import type { Theme } from "../look/theme";
import { connection } from "../live/connection";
import { Exact } from "../live/exact";
import { Button, Chip } from "../parts/Button";
import { NumberEntry } from "../parts/NumberEntry";
import { Fields, Select } from "../parts/Select";
import { useKeys } from "../parts/useKeys";
import { Trouble } from "../parts/Window";
import { Field } from "../parts/Field";
import { AnswerCard } from "./AnswerCard";
import {
  comparedReadings,
  lanesOf,
  laidOver,
  letterOf,
  meansOf,
  type Member,
  shared,
  titleOf,
} from "./compared";
import { Sheet, Table } from "./Logbook";
import { Panel } from "./Panel";
import { type Asked, overlaysOf } from "./questions";
import { useRunView } from "./useRunView";
import { ZoomControls } from "./ZoomControls";

const POINTS = 1500;
/** Lanes that are drawn: more are chosen by hand. */
const LANES = 6;

/** Runs laid over each other, aligned at a moment of each. */
export function ComparePage({ theme }: { theme: Theme }) {
  const [address, setAddress] = useSearchParams();
  const ids = (address.get("runs") ?? "").split(",").filter(Boolean);
  const found = useQueries({
    queries: ids.map((id) => ({
      queryKey: ["run", id],
      queryFn: () => got(api.GET("/api/runs/{key}", { params: { path: { key: id } } })),
      staleTime: 60_000,
      retry: false,
    })),
  });
  const runs = found.flatMap(({ data }) => data ?? []);
  const choose = (next: string[]): void => setAddress({ runs: next.join(",") });
  const troubles = found.flatMap(({ error }) => (error ? [error.message] : []));
  return (
    <Sheet>
      <header>
        <div style={{ flex: 1 }}>
          <Link to="/logbook">Logbook</Link>
          <h1>Compare runs</h1>
        </div>
      </header>
      {troubles.map((one) => (
        <Trouble key={one}>{one}</Trouble>
      ))}
      {found.some(({ isPending }) => isPending) ? (
        <p role="status">Opening the runs …</p>
      ) : (
        <Compared runs={runs} onRuns={choose} theme={theme} />
      )}
    </Sheet>
  );
}

interface ComparedProps {
  runs: RunDetail[];
  onRuns: (ids: string[]) => void;
  theme: Theme;
}

function Compared({ runs, onRuns, theme }: ComparedProps) {
  const [moments, setMoments] = useState<Record<string, number>>({});
  const [nudges, setNudges] = useState<Record<string, number>>({});
  const members = useMemo(
    () =>
      runs.map((run): Member => ({
        run,
        at: (moments[run.id] ?? run.begun_at / 1000) - (nudges[run.id] ?? 0) * 1000,
      })),
    [runs, moments, nudges],
  );
  const channels = useMemo(() => shared(runs), [runs]);
  if (!runs.length) return <AddRun runs={runs} onRuns={onRuns} />;
  return (
    <>
      <Members
        members={members}
        nudges={nudges}
        onNudge={(id, by) => setNudges({ ...nudges, [id]: by })}
        onRuns={onRuns}
      />
      <Fields>
        <AddRun runs={runs} onRuns={onRuns} />
      </Fields>
      {runs.length > 1 && (
        <AlignBy
          runs={runs}
          onAligned={(at) => {
            setMoments(at);
            setNudges({});
          }}
        />
      )}
      {channels.length ? (
        <Lanes members={members} channels={channels} theme={theme} />
      ) : (
        <p>
          {runs.map(titleOf).join(" and ")} have no channel of one name and unit in common: there is nothing
          to lay over each other.
        </p>
      )}
    </>
  );
}

function Members({
  members,
  nudges,
  onNudge,
  onRuns,
}: {
  members: Member[];
  nudges: Record<string, number>;
  onNudge: (id: string, by: number) => void;
  onRuns: (ids: string[]) => void;
}) {
  const ids = members.map(({ run }) => run.id);
  return (
    <div style={{ overflowX: "auto" }}>
      <Table aria-label="Runs that are compared">
        <thead>
          <tr>
            <th>Run</th>
            <th className="wide">Begun</th>
            <th>Aligned at</th>
            <th>By hand</th>
            <th>
              <VisuallyHidden>What can be done</VisuallyHidden>
            </th>
          </tr>
        </thead>
        <tbody>
          {members.map(({ run, at }, place) => (
            <tr key={run.id}>
              <td>
                <b style={{ marginRight: 10 }}>{letterOf(place)}</b>
                <Link to={`/logbook/${run.id}`}>{titleOf(run)}</Link>
                {place === 0 && " (the others are laid over it)"}
              </td>
              <td className="wide" style={{ whiteSpace: "nowrap" }}>
                {moment(run.begun_at / 1000)}
              </td>
              <td style={{ whiteSpace: "nowrap" }}>{dated(at)}</td>
              <td>
                <NumberEntry
                  label={`${letterOf(place)} later by, s`}
                  value={nudges[run.id] ?? 0}
                  onValue={(by) => onNudge(run.id, by ?? 0)}
                  width={100}
                />
              </td>
              <td className="number">
                {place > 0 && (
                  <Chip onPress={() => onRuns([run.id, ...ids.filter((one) => one !== run.id)])}>First</Chip>
                )}{" "}
                <Chip
                  aria-label={`Take away ${run.name}`}
                  onPress={() => onRuns(ids.filter((one) => one !== run.id))}
                >
                  Take away
                </Chip>
              </td>
            </tr>
          ))}
        </tbody>
      </Table>
    </div>
  );
}

function AddRun({ runs, onRuns }: { runs: RunDetail[]; onRuns: (ids: string[]) => void }) {
  const all = useQuery({
    queryKey: ["runs to compare"],
    queryFn: () => got(api.GET("/api/runs", { params: { query: { search: "", offset: 0, limit: 200 } } })),
  });
  const here = new Set(runs.map(({ id }) => id));
  const item = runs[0]?.item;
  const others = (all.data?.runs ?? []).filter((one) => one.ended_at !== null && !here.has(one.id));
  // Those of the same test item first.
  const sorted = [
    ...others.filter((one) => item && one.item === item),
    ...others.filter((one) => !item || one.item !== item),
  ];
  if (runs.length >= 12 || !sorted.length) return null;
  return (
    <Select
      label={runs.length ? "Add a run" : "Choose a run"}
      value=""
      options={[
        { value: "", text: "choose …" },
        ...sorted.map((one) => ({
          value: one.id,
          text: [one.name, one.item, moment(one.begun_at / 1000)].filter(Boolean).join(", "),
        })),
      ]}
      onChange={(id) => id && onRuns([...runs.map((one) => one.id), id])}
      width="min(460px, 100%)"
    />
  );
}

type By = Schemas["Alignment"]["by"];
const WAYS: { value: By; text: string }[] = [
  { value: "begin", text: "their beginning" },
  { value: "mark", text: "a mark" },
  { value: "crossing", text: "the first limit crossed" },
  { value: "level", text: "a value passed" },
  { value: "clock", text: "a time of day" },
];

/** By what all of them are aligned; by hand in the table. */
function AlignBy({
  runs,
  onAligned,
}: {
  runs: RunDetail[];
  onAligned: (at: Record<string, number>) => void;
}) {
  const all = shared(runs);
  const channels = all.map(({ channel }) => channel);
  const [by, setBy] = useState<By>("begin");
  const [text, setText] = useState("");
  const [channel, setChannel] = useState("");
  const [level, setLevel] = useState<number | null>(null);
  const [rising, setRising] = useState(true);
  const [troubles, setTroubles] = useState<string[]>([]);
  const act = useAct();
  const one = channels.find(({ id }) => id === channel) ?? channels[0];
  const lacks = (by === "mark" && !text.trim()) || (by === "level" && (level === null || !one)) || (by === "clock" && !text.trim()); // prettier-ignore
  const align = (): void =>
    act.run(async () => {
      const answers = await Promise.allSettled(
        runs.map((run, place) =>
          got(
            api.POST("/api/runs/{key}/alignment", {
              params: { path: { key: run.id } },
              body: {
                by,
                text: by === "clock" ? "" : text.trim(),
                // It may have another id there.
                channel: all.find(({ channel: each }) => each.id === one?.id)?.of[place]?.id ?? one?.id ?? "",
                level: level ?? 0,
                rising,
                clock: by === "clock" ? text.trim() : "00:00",
              },
            }),
          ),
        ),
      );
      setTroubles(
        answers.flatMap((answer) => (answer.status === "rejected" ? [String((answer.reason as Error).message)] : [])),
      ); // prettier-ignore
      onAligned(
        Object.fromEntries(
          answers.flatMap((answer, n) =>
            answer.status === "fulfilled" ? [[runs[n]?.id ?? "", answer.value.at / 1000]] : [],
          ),
        ),
      );
    });
  return (
    <Panel aria-label="Aligned by">
      <Fields>
        <Select label="Align at" value={by} options={WAYS} onChange={setBy} width={210} />
        {(by === "mark" || by === "clock") && (
          <div style={{ width: 230 }}>
            <Field
              label={by === "mark" ? "A mark with the text" : "Time of day"}
              value={text}
              onChange={setText}
              longest={200}
            />
          </div>
        )}
        {by === "level" && one && (
          <>
            <Select
              label="Channel"
              value={one.id}
              options={channels.map(({ id, name }) => ({ value: id, text: name }))}
              onChange={setChannel}
              width={200}
            />
            <Select
              label="Passes"
              value={rising ? "up" : "down"}
              options={[
                { value: "up", text: "rising" },
                { value: "down", text: "falling" },
              ]}
              onChange={(way) => setRising(way === "up")}
              width={120}
            />
            <NumberEntry
              label={one.unit ? `Value, ${one.unit}` : "Value"}
              value={level}
              onValue={setLevel}
              width={120}
              empty
            />
          </>
        )}
        <Button onPress={align} isDisabled={act.busy || lacks} style={{ alignSelf: "end" }}>
          Align
        </Button>
      </Fields>
      {[...(act.trouble ? [act.trouble] : []), ...troubles].map((one) => (
        <Trouble key={one}>{one} It stays at its beginning.</Trouble>
      ))}
    </Panel>
  );
}

interface LanesProps {
  members: Member[];
  channels: ReturnType<typeof shared>;
  theme: Theme;
}

function Lanes({ members, channels, theme }: LanesProps) {
  const runs = useMemo(() => members.map(({ run }) => run), [members]);
  const first = members[0]?.at ?? 0;
  const later = members.map(({ at }) => first - at);
  const begun = Math.min(...members.map(({ run }, n) => run.begun_at / 1000 + (later[n] ?? 0)));
  const end = Math.max(
    ...members.map(({ run }, n) => (run.ended_at ?? run.begun_at) / 1000 + (later[n] ?? 0)),
  );
  const shown = useRunView(begun, end);
  const { start, end: until } = shown.view();
  const [cursor] = useState(() => new Cursor());
  const [only, setOnly] = useState("");
  const drawn = only ? channels.filter(({ channel }) => channel.id === only) : channels.slice(0, LANES);
  const [asked, setAsked] = useState<Asked[]>([]);
  useKeys({ Escape: () => (cursor.at !== null ? cursor.clear() : shown.all()) });
  const shift = (place: number, at: number): number => Math.round((at - (later[place] ?? 0)) * 1000);
  const key = [members.map(({ run, at }) => [run.id, at]), start, until];
  const packed = useQuery({
    queryKey: ["compared", only, ...key],
    queryFn: ({ signal }) =>
      Promise.all(
        members.map(({ run }, n) =>
          samplesFrom(
            `/api/runs/${run.id}/trend?points=${POINTS}&start=${Math.max(0, shift(n, start))}&end=${Math.max(0, shift(n, until))}${drawn.map(({ of }) => (of[n] ? `&channels=${of[n].number}` : "")).join("")}`,
            signal,
          ),
        ),
      ).then((all) => laidOver(members, all)),
    placeholderData: (old) => old,
    structuralSharing: false,
    retry: false,
  });
  const statistics = useQuery({
    queryKey: ["compared statistics", ...key],
    queryFn: ({ signal }) =>
      Promise.all(
        members.map(({ run }, n) =>
          got(
            api.GET("/api/runs/{key}/statistics", {
              params: {
                path: { key: run.id },
                query: { start: Math.max(0, shift(n, start)), end: Math.max(0, shift(n, until)) },
              },
              signal,
            }),
          ),
        ),
      ),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const found = useMemo(
    () =>
      statistics.isPlaceholderData
        ? []
        : (statistics.data ?? []).map((one) => new Map(one.channels.map((each) => [each.number, each.statistics]))),
    [statistics.data, statistics.isPlaceholderData],
  ); // prettier-ignore
  const lanes = useMemo(() => lanesOf(drawn, runs, theme.inks.length), [drawn, runs, theme]);
  const exacts = useMemo(() => runs.map((run) => new Exact(() => connection.now(), run.id)), [runs]);
  const readings = useMemo(
    () => comparedReadings(members, exacts, meansOf(channels, found)),
    [members, exacts, channels, found],
  );
  const overlays = useMemo(
    () => overlaysOf(asked).map((one) => ({ ...one, channel: `0/${one.channel}` })),
    [asked],
  );
  const trouble = packed.error?.message ?? statistics.error?.message;
  return (
    <>
      {channels.length > 1 && (
        <Fields>
          <Select
            label="Channel"
            value={only}
            options={[
              {
                value: "",
                text: channels.length > LANES ? `the first ${LANES} they share` : "all they share",
              },
              ...channels.map(({ channel }) => ({ value: channel.id, text: channel.name })),
            ]}
            onChange={setOnly}
            width={240}
          />
        </Fields>
      )}
      {trouble && <Trouble>{trouble}</Trouble>}
      {!packed.data && !trouble && <p role="status">Drawing the runs …</p>}
      {packed.data && (
        <div style={{ height: Math.max(260, lanes.length * (40 + 50 * runs.length) + 40), display: "grid" }}>
          <LaneStack
            lanes={lanes}
            samples={packed.data}
            view={shown.view}
            live={false}
            marks={(runs[0]?.marks ?? []).map((mark) => ({ at: mark.at / 1000, text: mark.text }))}
            overlays={overlays}
            theme={theme}
            readings={readings}
            cursor={cursor}
            onZoom={shown.show}
            edge={shown.zoomed ? dated(until) : ""}
            controls={<ZoomControls shown={shown} whole="times of A" />}
          />
        </div>
      )}
      <div style={{ overflowX: "auto" }}>
        <Table aria-label="Numbers beside each other">
          <thead>
            <tr>
              <th>Mean of what is shown</th>
              {runs.map((run, place) => (
                <th key={run.id} className="number">
                  {letterOf(place)}: {titleOf(run)}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {channels.map(({ channel, of }) => (
              <tr key={channel.id}>
                <td>
                  {channel.name}
                  {channel.unit && `, ${channel.unit}`}
                </td>
                {of.map((one, place) => (
                  <Beside
                    key={place}
                    decimals={channel.decimals}
                    mine={one && found[place]?.get(one.number)}
                    first={place > 0 ? found[0]?.get(channel.number) : undefined}
                  />
                ))}
              </tr>
            ))}
          </tbody>
        </Table>
      </div>
      {runs.length > 1 && (
        <Differences
          members={members}
          channels={channels}
          start={start}
          end={until}
          asked={asked}
          onAsked={setAsked}
          onShow={(at) => {
            cursor.clear();
            cursor.press(at);
          }}
        />
      )}
    </>
  );
}

function Beside({
  decimals,
  mine,
  first,
}: {
  decimals: number;
  mine: Schemas["Statistics"] | undefined;
  first: Schemas["Statistics"] | undefined;
}) {
  if (mine?.mean == null) return <td className="number">–</td>;
  const apart = first?.mean == null ? null : mine.mean - first.mean;
  return (
    <td className="number">
      {figure(mine.mean, decimals + 1)}
      {mine.sd != null && <span style={{ color: "var(--quiet)" }}> sd {figure(mine.sd, decimals + 2)}</span>}
      {apart !== null && (
        <div style={{ color: "var(--quiet)", fontSize: 12.5 }}>
          {apart > 0 ? "+" : ""}
          {figure(apart, decimals + 1)}
        </div>
      )}
    </td>
  );
}

interface DifferencesProps {
  members: Member[];
  channels: ReturnType<typeof shared>;
  start: number;
  end: number;
  asked: Asked[];
  onAsked: (asked: Asked[]) => void;
  onShow: (at: number) => void;
}

let count = 0;

/** How far each lies off the first, and whether it stays within a band about it. */
function Differences({ members, channels, start, end, asked, onAsked, onShow }: DifferencesProps) {
  const [chosen, setChosen] = useState("");
  const [allowed, setAllowed] = useState<number | null>(null);
  const [percent, setPercent] = useState<number | null>(null);
  const [troubles, setTroubles] = useState<string[]>([]);
  const act = useAct();
  const one = channels.find(({ channel }) => channel.id === chosen) ?? channels[0];
  const reference = members[0];
  if (!one || !reference) return null;
  const { channel } = one;
  const compare = (): void =>
    act.run(async () => {
      const others = members.flatMap((member, place) => {
        const mine = one.of[place];
        return place > 0 && mine ? [{ member, mine, letter: letterOf(place) }] : [];
      });
      const answers = await Promise.allSettled(
        others.map(({ member, mine }) =>
          got(
            api.POST("/api/compare", {
              body: {
                of: { run: member.run.id, at: Math.round(member.at * 1000), channel: mine.id },
                reference: {
                  run: reference.run.id,
                  at: Math.round(reference.at * 1000),
                  channel: channel.id,
                },
                start: Math.round(start * 1000),
                end: Math.round(end * 1000) + 1,
                allowed,
                percent,
              },
            }),
          ),
        ),
      );
      setTroubles(
        answers.flatMap((answer, n) =>
          answer.status === "rejected"
            ? [`${others[n]?.letter ?? ""}: ${(answer.reason as Error).message}`]
            : [],
        ),
      );
      onAsked(
        answers.flatMap((answer, n) =>
          answer.status === "fulfilled"
            ? [
                {
                  key: `compared ${++count}`,
                  question: null,
                  answer: { ...answer.value, words: `${others[n]?.letter ?? ""}, ${answer.value.words}` },
                  kept: null,
                  by: "",
                  note: "",
                },
              ]
            : [],
        ),
      );
    }); // prettier-ignore
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
            onAsked([]);
          }}
          width={220}
        />
        <NumberEntry
          label={`May lie off by ±${channel.unit ? `, ${channel.unit}` : ""}`}
          value={allowed}
          onValue={setAllowed}
          width={150}
          empty
          placeholder="no band"
          least={0}
        />
        <NumberEntry
          label="or by ±, %"
          value={percent}
          onValue={setPercent}
          width={110}
          empty
          placeholder="no band"
          least={0}
        />
        <Button onPress={compare} isDisabled={act.busy} style={{ alignSelf: "end" }}>
          {allowed === null && percent === null ? "Difference" : "Difference and verdict"}
        </Button>
      </Fields>
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
    </Panel>
  );
}
