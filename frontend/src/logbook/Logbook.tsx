import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { VisuallyHidden } from "react-aria-components";
import { Link } from "react-router";
import styled from "styled-components";
import { api, got, type RunRow, type Schemas } from "../api/client";
import { useAct } from "../api/useAct";
import { operators } from "../bench/plan";
import { count, length, moment } from "../look/format";
import { startOfDay } from "../look/zone";
import { Button, Chip, ChipLink } from "../parts/Button";
import { DateEntry } from "../parts/DateEntry";
import { Field } from "../parts/Field";
import { Select } from "../parts/Select";
import { tableLooks } from "../parts/tableLooks";
import { Actions, Trouble, Window } from "../parts/Window";
import { ENDED, type Sort, useRunFilters, VERDICTS } from "./useRunFilters";

const PAGE = 50;
/** Runs that are laid over each other. */
const MOST = 12;

export const Sheet = styled.main`
  max-width: 1256px;
  margin: 0 auto;
  padding: 4px 12px 24px;
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 12px;
  header {
    display: flex;
    align-items: end;
    gap: 24px;
    flex-wrap: wrap;
  }
  h1 {
    font-size: 22px;
  }
`;

export const Table = styled.table`
  ${tableLooks}
  th {
    text-align: left;
    font-size: 12.5px;
    color: var(--quiet);
    font-weight: 600;
  }
  th,
  td {
    padding: 9px 14px;
    border-bottom: 1px solid var(--ruling);
    vertical-align: baseline;
  }
  tbody tr:last-child td {
    border-bottom: 0;
  }
  tbody tr:hover td {
    background: var(--ruling);
  }
  .number {
    text-align: right;
    white-space: nowrap;
  }
  td a {
    font-weight: 600;
  }
  @media (min-width: 720px) {
    .when {
      white-space: nowrap;
    }
  }
  th button {
    border: 0;
    background: none;
    padding: 0;
    min-height: 24px;
    font: inherit;
    color: inherit;
    cursor: pointer;
    white-space: nowrap;
    &:hover {
      color: var(--ink);
      text-decoration: underline;
    }
  }
  @media (max-width: 719px) {
    .wide {
      display: none;
    }
    th,
    td {
      padding: 9px 8px;
    }
  }
`;

/** Its label beside the field, on the heading's line. */
const Search = styled.div`
  flex: 0 1 560px;
  margin-left: auto;
  > * {
    grid-template-columns: auto minmax(150px, 1fr);
    align-items: center;
    gap: 10px;
  }
  @media (max-width: 719px) {
    flex-basis: 100%;
    > * {
      grid-template-columns: minmax(0, 1fr);
    }
  }
`;

const statusWords = (run: RunRow): string => {
  if (run.status === "logging") return "logging now";
  return run.status === "interrupted" ? "interrupted" : "ended";
};

const Filters = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 12px;
  align-items: end;
  .total {
    margin-left: auto;
    color: var(--quiet);
    font-size: 13.5px;
    align-self: center;
  }
`;

/** The beginning of a day of the bench's zone, in microseconds; null for none. */
const dayAt = (date: string | null, days: number): number | null =>
  date === null ? null : startOfDay(date, days) * 1000;

/** All runs, found by words, dates, how they ended and their verdict. */
export function Logbook() {
  const { filters, set, pages, turn, filtered, clear } = useRunFilters();
  const { search, ended, verdict, from, to, by, falling, bin } = filters;
  // What is chosen in the list is not chosen in the bin.
  const [picked, setPicked] = useState<{ bin: boolean; ids: string[] }>({ bin, ids: [] });
  const chosen = picked.bin === bin ? picked.ids : [];
  const setChosen = (ids: string[]): void => setPicked({ bin, ids });
  const [cleared, setCleared] = useState(0);
  const after = pages.at(-1) ?? "";
  const first = pages.length * PAGE;
  const since = dayAt(from, 0);
  const until = dayAt(to, 1);
  const query = {
    search,
    ended,
    verdict,
    ...(since === null ? {} : { since }),
    ...(until === null ? {} : { until }),
    sort: by,
    falling,
    removed: bin,
    after,
    limit: PAGE,
  };
  const runs = useQuery({
    queryKey: ["runs", query],
    queryFn: ({ signal }) => got(api.GET("/api/runs", { params: { query }, signal })),
    refetchInterval: 3000,
    placeholderData: keepPreviousData,
  });
  const ids = runs.data?.runs.map((one) => one.id) ?? [];
  const still = runs.data?.runs.filter((one) => one.complete).map((one) => one.id) ?? [];
  const sketches = useQuery({
    queryKey: ["sketches", still],
    queryFn: ({ signal }) => got(api.POST("/api/runs/sketches", { body: { runs: ids }, signal })),
    enabled: ids.length > 0,
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    retry: false,
  });
  const drawn = new Map(sketches.data?.map((one) => [one.id, one]));
  const choose = (id: string, on: boolean): void =>
    setChosen(on ? [...chosen, id] : chosen.filter((one) => one !== id));
  const head = (column: Sort, words: string, className = "") => (
    <th className={className} aria-sort={by !== column ? "none" : falling ? "descending" : "ascending"}>
      <button
        type="button"
        onClick={() =>
          set({
            by: column,
            falling: by === column ? !falling : ["begun", "length", "samples"].includes(column),
          })
        }
      >
        {words}
        {by === column && (falling ? " ▾" : " ▴")}
      </button>
    </th>
  );
  return (
    <Sheet>
      <header style={{ alignItems: "center" }}>
        <h1>{bin ? "Bin" : "Logbook"}</h1>
        <Search>
          <Find key={cleared} search={search} onSearch={(text) => set({ search: text })} />
        </Search>
      </header>
      <Filters>
        <DateEntry label="Begun from" value={from} onValue={(date) => set({ from: date })} width={170} />
        <DateEntry label="to" value={to} onValue={(date) => set({ to: date })} width={170} />
        <Select
          label="How it ended"
          value={ended}
          options={ENDED}
          onChange={(next) => set({ ended: next })}
          width={160}
        />
        <Select
          label="Verdict"
          value={verdict}
          options={VERDICTS}
          onChange={(next) => set({ verdict: next })}
          width={160}
        />
        {filtered && (
          <Button
            $kind="plain"
            onPress={() => {
              clear();
              setCleared(cleared + 1);
            }}
          >
            {bin ? "All in the bin" : "All runs"}
          </Button>
        )}
        {runs.data && (
          <span className="total">
            {runs.data.total === 1 ? "1 run" : `${howMany(runs.data.total)} runs`}
          </span>
        )}
      </Filters>
      <WithChosen chosen={chosen} bin={bin} onDone={() => setChosen([])} />
      {runs.isError && <Trouble>{runs.error.message}</Trouble>}
      {runs.isPending && <p role="status">Opening the logbook …</p>}
      {runs.data?.total === 0 && (
        <p>
          {filtered
            ? "No run is like that. Take a word or a filter away."
            : bin
              ? "The bin is empty."
              : "Every run you log is kept here. "}
          {!filtered && !bin && <Link to="/">Begin one on the Bench.</Link>}
        </p>
      )}
      {!!runs.data?.runs.length && (
        <Table aria-label="Runs">
          <thead>
            <tr>
              <th>
                <VisuallyHidden>Choose</VisuallyHidden>
              </th>
              {head("begun", "Begun")}
              {head("name", "Run")}
              {head("item", "Test item", "wide")}
              {head("operator", "Operator", "wide")}
              {head("length", "Length", "number wide")}
              {head("samples", "Samples", "number wide")}
              <th className="wide">Trend</th>
              <th>State</th>
            </tr>
          </thead>
          <tbody>
            {runs.data.runs.map((run) => (
              <tr key={run.id}>
                <td style={{ paddingRight: 0 }}>
                  <input
                    type="checkbox"
                    aria-label={`Choose ${run.name}`}
                    style={{ width: 18, height: 18, accentColor: "var(--action)", verticalAlign: "-4px" }}
                    checked={chosen.includes(run.id)}
                    disabled={run.ended_at === null}
                    onChange={(event) => choose(run.id, event.target.checked)}
                  />
                </td>
                <td className="when">{moment(run.begun_at / 1000)}</td>
                <td>
                  <Link to={`/logbook/${run.id}`}>{run.name}</Link>
                </td>
                <td className="wide">{run.item}</td>
                <td className="wide">{run.operator}</td>
                <td className="number wide">
                  {run.ended_at ? length((run.ended_at - run.begun_at) / 1000) : "–"}
                </td>
                <td className="number wide">{count(run.samples)}</td>
                <td className="wide">
                  <Sketch of={drawn.get(run.id)} />
                </td>
                <td title={run.reason}>
                  {statusWords(run)}
                  <VerdictWords run={run} />
                  {run.gone && (
                    <div style={{ color: "var(--caution)", fontWeight: 600 }}>its folder is gone</div>
                  )}
                  {run.removed_at != null && (
                    <div style={{ color: "var(--quiet)" }}>
                      in the bin since {moment(run.removed_at / 1000)}
                    </div>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </Table>
      )}
      {!!runs.data && (pages.length > 0 || runs.data.next !== "") && (
        <div style={{ display: "flex", gap: 10, alignItems: "center" }}>
          <Button isDisabled={pages.length === 0} onPress={() => turn(pages.slice(0, -1))}>
            Back
          </Button>
          <Button
            isDisabled={runs.data.next === "" || runs.isPlaceholderData}
            onPress={() => turn([...pages, runs.data.next])}
          >
            Further
          </Button>
          <span>
            {first + 1} to {first + runs.data.runs.length} of {howMany(runs.data.total)}
          </span>
        </div>
      )}
      <p style={{ display: "flex", gap: 20, flexWrap: "wrap" }}>
        {bin ? <Link to="/logbook">All runs</Link> : <Link to="/logbook?bin">Bin</Link>}
        <Link to="/logbook/disk">What the disk holds</Link>
      </p>
    </Sheet>
  );
}

/** What is typed stands at once; the address, and the list, follow a moment later. */
function Find({ search, onSearch }: { search: string; onSearch: (text: string) => void }) {
  const [typed, setTyped] = useState(search);
  const [told, setTold] = useState(search);
  // The way back, or a link: another search than any that was typed here.
  const [known, setKnown] = useState<readonly string[]>([search]);
  if (search !== told) {
    setTold(search);
    if (!known.includes(search)) {
      setTyped(search);
      setKnown([search]);
    }
  }
  return (
    <Field
      label="Find in all that is said of a run"
      value={typed}
      onChange={(text) => {
        setTyped(text);
        setKnown((old) => [...old.slice(-200), text]);
        onSearch(text);
      }}
      longest={100}
    />
  );
}

interface WithChosenProps {
  chosen: string[];
  bin: boolean;
  onDone: () => void;
}

/** What can be done with the runs that are chosen. */
function WithChosen({ chosen, bin, onDone }: WithChosenProps) {
  const [asking, setAsking] = useState(false);
  const [troubles, setTroubles] = useState<string[]>([]);
  const act = useAct();
  const client = useQueryClient();
  const many = chosen.length === 1 ? "this run" : `${count(chosen.length)} runs`;
  const body = { runs: chosen, by: operators()[0] ?? "" };
  const done = (work: Promise<Schemas["RunsDone"]>): void =>
    act.run(async () => {
      const told = await work;
      setTroubles(told.troubles);
      setAsking(false);
      onDone();
      await client.invalidateQueries({ queryKey: ["runs"] });
    });
  return (
    <>
      {chosen.length > 0 && (
        <div style={{ display: "flex", gap: 10, alignItems: "center", flexWrap: "wrap" }}>
          <span style={{ fontWeight: 600 }}>{count(chosen.length)} chosen</span>
          {bin ? (
            <>
              <Chip isDisabled={act.busy} onPress={() => done(got(api.POST("/api/runs/restore", { body })))}>
                Restore {many}
              </Chip>
              <Chip isDisabled={act.busy} onPress={() => setAsking(true)}>
                Delete {many} for good …
              </Chip>
            </>
          ) : (
            <>
              {chosen.length <= MOST ? (
                <ChipLink as={Link} to={`/logbook/compare?runs=${chosen.join(",")}`}>
                  {chosen.length === 1 ? "Compare this run …" : `Compare ${many}`}
                </ChipLink>
              ) : (
                <span style={{ color: "var(--quiet)" }}>at most {MOST} can be compared</span>
              )}
              <Chip isDisabled={act.busy} onPress={() => done(got(api.POST("/api/runs/bin", { body })))}>
                Move {many} to the bin
              </Chip>
            </>
          )}
          <Chip onPress={onDone}>Choose none</Chip>
        </div>
      )}
      {act.trouble && <Trouble>{act.trouble}</Trouble>}
      {troubles.map((one) => (
        <Trouble key={one}>{one}</Trouble>
      ))}
      {asking && (
        <Window title={`Delete ${many} for good?`} open asks onClose={() => setAsking(false)}>
          <p>
            Folder, CSV, samples, tape and records go. Nothing brings them back. A copy elsewhere stays where
            it is.
          </p>
          <Actions>
            <Button onPress={() => setAsking(false)}>Cancel</Button>
            <Button
              $kind="bright"
              isDisabled={act.busy}
              onPress={() => done(got(api.POST("/api/runs/delete", { body })))}
            >
              Delete for good
            </Button>
          </Actions>
        </Window>
      )}
    </>
  );
}

/** Whether it stayed within its limits, where it has any and that is known. */
function VerdictWords({ run }: { run: RunRow }) {
  if (run.alarms == null || !run.limited || run.status === "logging") return null;
  return run.alarms > 0 ? (
    <div style={{ color: "var(--fault)", fontWeight: 600, whiteSpace: "nowrap" }}>
      ◆ beyond {run.alarms === 1 ? "once" : `${run.alarms} times`}
    </div>
  ) : (
    <div style={{ color: "var(--quiet)" }}>within limits</div>
  );
}

/** More than these are not counted. */
const COUNTED = 500;
const howMany = (total: number): string => (total > COUNTED ? `more than ${count(COUNTED)}` : count(total));

const [WIDE, HIGH] = [96, 22];

/** A run's trend, as small as a word. */
function Sketch({ of }: { of: Schemas["Sketch"] | undefined }) {
  const values = of?.values ?? [];
  const measured = values.filter((one): one is number => one !== null);
  if (!of || measured.length < 2) return null;
  const [low, high] = [Math.min(...measured), Math.max(...measured)];
  const x = (n: number): number => (n / Math.max(1, values.length - 1)) * (WIDE - 2) + 1;
  const y = (value: number): number =>
    high === low ? HIGH / 2 : HIGH - 2 - ((value - low) / (high - low)) * (HIGH - 4);
  const path = values
    .map((value, n) =>
      value === null ? "" : `${values[n - 1] == null ? "M" : "L"}${x(n).toFixed(1)} ${y(value).toFixed(1)}`,
    )
    .join("");
  return (
    <svg
      width={WIDE}
      height={HIGH}
      role="img"
      aria-label={`${of.channel} over the run, ${Number(low.toPrecision(4))} to ${Number(high.toPrecision(4))}`}
      style={{ verticalAlign: "middle" }}
    >
      <title>{of.channel}</title>
      <path d={path} fill="none" stroke="var(--action)" strokeWidth={1.4} strokeLinejoin="round" />
    </svg>
  );
}
