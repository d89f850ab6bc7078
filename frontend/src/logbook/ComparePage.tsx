import { keepPreviousData, useQueries, useQuery } from "@tanstack/react-query";
import { type ReactNode, useMemo, useState } from "react";
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
import { Differences } from "./Differences";
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
/** Runs that are laid over each other. */
const MOST = 12;
/** Lanes that are drawn: more are chosen by hand. */
const LANES = 6;

/** A run as it stands in the address, and the time in microseconds that it is aligned at; null: its beginning. */
export interface Placed {
  id: string;
  at: number | null;
}

export function placedOf(address: URLSearchParams): Placed[] {
  const ats = (address.get("at") ?? "").split(",");
  return (address.get("runs") ?? "")
    .split(",")
    .filter(Boolean)
    .slice(0, MOST)
    .map((id, n) => ({ id, at: /^\d{1,18}$/.test(ats[n] ?? "") ? Number(ats[n]) : null }));
}

export const addressOfPlaced = (placed: readonly Placed[]): Record<string, string> => ({
  runs: placed.map(({ id }) => id).join(","),
  ...(placed.some(({ at }) => at !== null) ? { at: placed.map(({ at }) => at ?? "").join(",") } : {}),
});

/** Runs laid over each other, aligned at a moment of each; one run may be there again, aligned at another moment. */
export function ComparePage({ theme }: { theme: Theme }) {
  const [address, setAddress] = useSearchParams();
  const placed = placedOf(address);
  const found = useQueries({
    queries: [...new Set(placed.map(({ id }) => id))].map((id) => ({
      queryKey: ["run", id],
      queryFn: () => got(api.GET("/api/runs/{key}", { params: { path: { key: id } } })),
      staleTime: 60_000,
      retry: false,
    })),
  });
  const known = new Map(found.flatMap(({ data }) => (data ? [[data.id, data] as const] : [])));
  const there = placed.filter(({ id }) => known.has(id));
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
        <Compared
          placed={there}
          known={known}
          onPlaced={(next) => setAddress(addressOfPlaced(next))}
          theme={theme}
        />
      )}
    </Sheet>
  );
}

interface ComparedProps {
  placed: Placed[];
  known: ReadonlyMap<string, RunDetail>;
  onPlaced: (placed: Placed[]) => void;
  theme: Theme;
}

function Compared({ placed, known, onPlaced, theme }: ComparedProps) {
  const [nudges, setNudges] = useState<Record<number, number>>({});
  const key = JSON.stringify(placed);
  const members = useMemo(
    () =>
      (JSON.parse(key) as Placed[]).flatMap(({ id, at }, place): Member[] => {
        const run = known.get(id);
        return run ? [{ run, at: (at ?? run.begun_at) / 1000 - (nudges[place] ?? 0) * 1000 }] : [];
      }),
    [key, known, nudges],
  );
  const runs = useMemo(() => members.map(({ run }) => run), [members]);
  const channels = useMemo(() => shared(runs), [runs]);
  const anew = (next: Placed[]): void => {
    setNudges({});
    onPlaced(next);
  };
  const add = (id: string): void => anew([...placed, { id, at: null }]);
  if (!runs.length) return <AddRun runs={runs} onRun={add} />;
  return (
    <>
      <Members
        members={members}
        placed={placed}
        nudges={nudges}
        onNudge={(place, by) => setNudges({ ...nudges, [place]: by })}
        onPlaced={anew}
      />
      {runs.length === 1 && <AddRun runs={runs} onRun={add} />}
      {runs.length > 1 && (
        <AlignBy
          runs={runs}
          add={<AddRun runs={runs} onRun={add} />}
          onAligned={(at) => anew(placed.map((one, place) => ({ ...one, at: at[place] ?? null })))}
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

interface MembersProps {
  members: Member[];
  placed: Placed[];
  nudges: Record<number, number>;
  onNudge: (place: number, by: number) => void;
  onPlaced: (placed: Placed[]) => void;
}

function Members({ members, placed, nudges, onNudge, onPlaced }: MembersProps) {
  const first = (place: number): Placed[] => [
    ...placed.slice(place, place + 1),
    ...placed.filter((_, n) => n !== place),
  ];
  return (
    <div style={{ overflowX: "auto", position: "relative" }}>
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
            <tr key={`${run.id} ${place}`}>
              <td>
                <b style={{ marginRight: 10 }}>{letterOf(place)}</b>
                <Link to={`/logbook/${run.id}`}>{titleOf(run)}</Link>
                {place === 0 && " (the others are laid over it)"}
              </td>
              <td className="wide" style={{ whiteSpace: "nowrap" }}>
                {moment(run.begun_at / 1000)}
              </td>
              <td>
                <Select
                  label={`${letterOf(place)} aligned at`}
                  value={momentOf(run, placed[place]?.at ?? null)}
                  options={momentsOf(run, placed[place]?.at ?? null)}
                  onChange={(chosen) =>
                    onPlaced(
                      placed.map((one, n) =>
                        n === place ? { ...one, at: chosen === "begin" ? null : Number(chosen) } : one,
                      ),
                    )
                  }
                  width={210}
                />
                <div style={{ color: "var(--quiet)", fontSize: 12.5, whiteSpace: "nowrap" }}>{dated(at)}</div>
              </td>
              <td>
                <NumberEntry
                  label={`${letterOf(place)} later by, s`}
                  value={nudges[place] ?? 0}
                  onValue={(by) => onNudge(place, by ?? 0)}
                  width={100}
                />
              </td>
              <td className="number">
                {place > 0 && <Chip onPress={() => onPlaced(first(place))}>First</Chip>}{" "}
                <Chip
                  aria-label={`Remove ${letterOf(place)}, ${run.name}`}
                  onPress={() => onPlaced(placed.filter((_, n) => n !== place))}
                >
                  Remove
                </Chip>
              </td>
            </tr>
          ))}
        </tbody>
      </Table>
    </div>
  );
}

/** Marks that are offered. */
const MARKS = 100;

const momentOf = (run: RunDetail, at: number | null): string =>
  at === null || at === run.begun_at ? "begin" : String(at);

/** What a run may be aligned at: its beginning, its marks, or where it was aligned otherwise. */
function momentsOf(run: RunDetail, at: number | null): { value: string; text: string }[] {
  const marks = run.marks.slice(0, MARKS).map((mark) => ({ value: String(mark.at), text: mark.text }));
  const chosen = momentOf(run, at);
  const other = chosen !== "begin" && !marks.some(({ value }) => value === chosen);
  return [
    { value: "begin", text: "its beginning" },
    ...(other ? [{ value: chosen, text: "as aligned below" }] : []),
    ...marks,
  ];
}

function AddRun({ runs, onRun }: { runs: RunDetail[]; onRun: (id: string) => void }) {
  const all = useQuery({
    queryKey: ["runs to compare"],
    queryFn: () => got(api.GET("/api/runs", { params: { query: { search: "", offset: 0, limit: 200 } } })),
  });
  const item = runs[0]?.item;
  const others = (all.data?.runs ?? []).filter((one) => one.ended_at !== null);
  // Those of the same test item first.
  const sorted = [
    ...others.filter((one) => item && one.item === item),
    ...others.filter((one) => !item || one.item !== item),
  ];
  if (runs.length >= MOST || !sorted.length) return null;
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
      onChange={(id) => id && onRun(id)}
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
  add,
  onAligned,
}: {
  runs: RunDetail[];
  /** Stands before it. */
  add: ReactNode;
  /** In microseconds, by place; undefined where it has no such moment. */
  onAligned: (at: (number | undefined)[]) => void;
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
      onAligned(answers.map((answer) => (answer.status === "fulfilled" ? answer.value.at : undefined)));
    });
  return (
    <Panel aria-label="Aligned by">
      <Fields>
        {add}
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
  const drawn = useMemo(
    () => (only ? channels.filter(({ channel }) => channel.id === only) : channels.slice(0, LANES)),
    [only, channels],
  );
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
            controls={<ZoomControls shown={shown} whole="times of A" cursor={null} />}
          />
        </div>
      )}
      <div style={{ overflowX: "auto", position: "relative" }}>
        <Table aria-label="Numbers beside each other">
          <thead>
            <tr>
              <th>Mean of what is shown</th>
              {runs.map((run, place) => (
                <th key={place} className="number">
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
          cursor={cursor}
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
