import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import styled from "styled-components";
import { api, got, type RunDetail } from "../api/client";
import { useAct } from "../api/useAct";
import { operators, repeat } from "../bench/plan";
import { count, dated, length } from "../look/format";
import { offsetName } from "../look/zone";
import { mono, type Theme } from "../look/theme";
import { Button, Chip } from "../parts/Button";
import { Banner } from "../parts/Banner";
import { Note } from "../parts/Note";
import { Fact, Facts } from "../parts/Facts";
import { useFew } from "../parts/useFew";
import { Trouble } from "../parts/Window";
import { Sheet, Table } from "./Logbook";
import { Comparisons } from "./Comparisons";
import { Corrections } from "./Corrections";
import { CorrectWindow } from "./CorrectWindow";
import { CsvList } from "./CsvList";
import { ReadAgain } from "./ReadAgain";
import { RunCurves } from "./RunCurves";
import { RunMarks } from "./RunMarks";
import { SealCheck } from "./SealCheck";
import { RunPictures } from "./RunPictures";
import { RunTrend } from "./RunTrend";
import { TestPoints } from "./TestPoints";

const Path = styled.code`
  font: 12.5px ${mono};
  color: var(--quiet);
  overflow-wrap: anywhere;
`;

const Download = styled.a`
  display: inline-flex;
  align-items: center;
  min-height: 36px;
  padding: 0 16px;
  border-radius: var(--radius);
  background: var(--action);
  color: var(--actionInk);
  font-weight: 600;
  text-decoration: none;
`;

/** One run: lanes, marks, numbers, its CSV. */
export function RunPage({ theme }: { theme: Theme }) {
  const { id = "" } = useParams();
  const run = useQuery({
    queryKey: ["run", id],
    queryFn: () => got(api.GET("/api/runs/{key}", { params: { path: { key: id } } })),
    refetchInterval: (query) => (query.state.data?.complete ? false : 2000),
  });
  if (run.isError)
    return (
      <Sheet>
        <Trouble>{run.error.message}</Trouble>
        <Link to="/logbook">All runs</Link>
      </Sheet>
    );
  if (!run.data) return <Sheet role="status">Opening the run …</Sheet>;
  return <Whole run={run.data} theme={theme} />;
}

function Whole({ run, theme }: { run: RunDetail; theme: Theme }) {
  const navigate = useNavigate();
  const end = run.ended_at ?? null;
  const act = useAct();
  const client = useQueryClient();
  const [correcting, setCorrecting] = useState(false);
  const [told, setTold] = useState(false);
  const again = (): void =>
    act.run(async () => {
      await repeat(run.id);
      void navigate("/?begin");
    });
  return (
    <Sheet>
      <header>
        <div style={{ flex: 1 }}>
          <Link to="/logbook">Logbook</Link>
          <h1>{run.name}</h1>
        </div>
        {run.ended_at && run.numbers.length > 0 && (
          <Link to={`/logbook/compare?runs=${run.id}`}>Compare with …</Link>
        )}
        {run.ended_at && (
          <a href={`/api/runs/${run.id}/report`} target="_blank" rel="noreferrer">
            Report
          </a>
        )}
        {run.calibrates ? (
          <>
            <Link to={`/calibrate/${run.calibrates.channel}`}>Calibrate again</Link>
            <Link to={`/logbook/${run.id}/calibration`}>Calibration report</Link>
          </>
        ) : (
          <Button onPress={again}>Repeat with a new test item</Button>
        )}
        {run.csv_files.length > 1 ? (
          <Download href="#csv">The CSV’s {run.csv_files.length} files</Download>
        ) : (
          <Download href={`/api/runs/${run.id}/csv`} download={run.csv}>
            Download the CSV
          </Download>
        )}
      </header>
      <AfterTheEnd run={run} />
      <Facts>
        <Fact name="Test item" text={run.item || "–"} />
        <Fact name="Operator" text={run.operator || "–"} />
        <Fact name="Begun" text={`${dated(run.begun_at / 1000)}, ${offsetName(run.begun_at / 1000)}`} />
        {run.begun_by && <Fact name="Begun by" text={run.begun_by} />}
        {run.lead_us >= 1e6 && (
          <Fact
            name="From memory"
            text={`the first ${length(run.lead_us / 1000)}: measured before it was begun`}
          />
        )}
        {run.glance
          .filter((one) => !one.well)
          .map((one) => (
            <Fact key={one.matter} name="Not well when it began" text={one.words} />
          ))}
        <Fact name="Length" text={end ? length((end - run.begun_at) / 1000) : "logging now"} />
        <Fact name="Why it ended" text={run.reason || "–"} />
        <Fact name="Completeness" text={completeness(run)} />
        <Fact name="Rows" text={run.numbers.length ? run.row_rule : "none: the run keeps curves"} />
        {run.copy_to && <Fact name="Copy" text={copyWords(run)} />}
        {run.order && <Fact name="Order number" text={run.order} />}
        {Object.entries(run.fields).map(([name, text]) => (
          <Fact key={name} name={name} text={text || "–"} />
        ))}
      </Facts>
      {run.ended_at && <SealCheck run={run.id} />}
      {run.ended_at && !run.gone && (
        <div style={{ display: "flex", gap: 8 }}>
          <Chip onPress={() => setCorrecting(true)}>Correct what is said of it …</Chip>
          <Chip onPress={() => setTold(!told)} aria-expanded={told}>
            {told ? "hide corrections" : "corrections"}
          </Chip>
        </div>
      )}
      {told && <Corrections run={run.id} />}
      {correcting && (
        <CorrectWindow
          run={run}
          onClose={() => {
            setCorrecting(false);
            void client.invalidateQueries({ queryKey: ["run", run.id] });
            void client.invalidateQueries({ queryKey: ["said", run.id] });
          }}
        />
      )}
      {run.notes && <p style={{ whiteSpace: "pre-wrap", overflowWrap: "anywhere" }}>{run.notes}</p>}
      {act.trouble && <Trouble>{act.trouble}</Trouble>}
      {run.repairs.length > 0 && (
        <p style={{ color: "var(--caution)", fontWeight: 600 }}>
          After an interruption: {run.repairs.join(" ")}
        </p>
      )}
      {run.numbers.length > 0 && <RunTrend run={run} theme={theme} />}
      {(run.points.points?.length ?? 0) > 0 && <TestPoints run={run} />}
      <RunCurves run={run.id} />
      <RunPictures run={run.id} />
      <RunMarks run={run} />
      {run.ended_at && <Comparisons run={run.id} />}
      {run.crossings.length > 0 && <Crossings run={run} />}
      {run.csv_files.length > 1 && <CsvList run={run} />}
      <ReadAgain run={run} theme={theme} />
      <p>
        <Path>
          {run.folder}
          {run.csv_files.length > 1 ? "" : `/${run.csv}`}
        </Path>
      </p>
    </Sheet>
  );
}

function Crossings({ run }: { run: RunDetail }) {
  const { few, more } = useFew(run.crossings);
  const rest = run.crossings_in_all - run.crossings.length;
  return (
    <section>
      <h2>Alarms and limits</h2>
      {rest > 0 && (
        <p>
          {count(run.crossings_in_all)} times. The first {count(run.crossings.length)} are on this page and
          its lanes; crossings.csv in the run’s folder has all.
        </p>
      )}
      <Table aria-label="Alarms and limits">
        <tbody>
          {few.map((one, index) => (
            <tr key={index}>
              <td style={{ whiteSpace: "nowrap" }}>{dated(one.at / 1000)}</td>
              <td>{one.name}</td>
              <td>{crossed(one)}</td>
              <td className="number">
                {one.word || (one.value === null ? "–" : Number(one.value.toPrecision(6)))}
              </td>
            </tr>
          ))}
        </tbody>
      </Table>
      {more}
    </section>
  );
}

/** What has become of its folder. */
function AfterTheEnd({ run }: { run: RunDetail }) {
  const act = useAct();
  const client = useQueryClient();
  return (
    <>
      {run.removed_at != null && (
        <Note>
          <b>This run is in the bin since {dated(run.removed_at / 1000)}.</b>{" "}
          <Chip
            isDisabled={act.busy}
            onPress={() =>
              act.run(async () => {
                await got(
                  api.POST("/api/runs/restore", { body: { runs: [run.id], by: operators()[0] ?? "" } }),
                );
                await client.invalidateQueries({ queryKey: ["run", run.id] });
              })
            }
          >
            Restore it
          </Chip>
        </Note>
      )}
      {run.gone && (
        <Banner>
          <b>The run’s folder is not where it was: {run.folder}.</b> Numbers and curves come from the records;
          CSV, tape, report and whatever else stands in the folder are back when it is. Put it back, or mount
          its disk.
        </Banner>
      )}
      {run.taken_out && (
        <Note>
          {run.taken_out} Its samples, numbers and CSV are whole; the bytes behind a value are gone, and the
          run cannot be read again.
        </Note>
      )}
      {act.trouble && <Trouble>{act.trouble}</Trouble>}
    </>
  );
}

/** Where a finished run is copied to, and whether it is there. */
function copyWords(run: Pick<RunDetail, "copy_to" | "copied_at" | "copy_trouble" | "ended_at">): string {
  if (run.copied_at) return `verified in ${run.copy_to} since ${dated(run.copied_at / 1000)}`;
  if (run.copy_trouble) return `not yet in ${run.copy_to}: ${run.copy_trouble}`;
  return `${run.ended_at ? "on its way" : "goes"} to ${run.copy_to}`;
}

const STATES: Record<string, string> = {
  within: "back within",
  low: "below the limit",
  high: "above the limit",
  "low caution": "below the caution",
  "high caution": "above the caution",
  stuck: "stuck",
  caution: "caution",
  alarm: "alarm",
  stopped: "its path stopped",
  unmeasured: "not measured",
  back: "passing again",
};

function crossed(one: RunDetail["crossings"][number]): string {
  const words = STATES[one.state] ?? one.state;
  return one.limit == null ? words : `${words} of ${one.limit}`;
}

function completeness(run: RunDetail): string {
  const { polls, gave_up, missed, lost } = run.counts;
  const links = lost ? [lost === 1 ? "a link lost once" : `links lost ${count(lost)} times`] : [];
  if (!polls && !missed) return ["nothing was polled", ...links].join(", ");
  return [
    `${count(polls)} polls`,
    ...(missed + gave_up ? [`${count(gave_up)} without reply`, `${count(missed)} missed`] : ["all answered"]),
    ...links,
  ].join(", ");
}
