import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { Link, useParams } from "react-router";
import styled from "styled-components";
import { api, got, type RunDetail, said, type Schemas } from "../api/client";
import { dated, figure } from "../look/format";
import { offsetName } from "../look/zone";
import { Button, ChipLink } from "../parts/Button";
import { Fact, Facts } from "../parts/Facts";
import { Trouble } from "../parts/Trouble";
import { Sheet } from "../logbook/Logbook";
import { SealCheck } from "../logbook/SealCheck";
import { allowedWords, type Calibration, stageWords, uncertaintyWords } from "./calibration";
import { CalibrationTable } from "./CalibrationTable";
import { DeviationChart } from "./DeviationChart";

const Page = styled(Sheet)`
  max-width: 940px;
  h2 {
    font-size: 15px;
    margin-top: 8px;
  }
  .sign {
    display: none;
  }
  @media print {
    background: #fff;
    .screen {
      display: none;
    }
    .sign {
      display: flex;
      gap: 60px;
      margin-top: 40px;
    }
    .sign span {
      border-top: 1px solid;
      padding-top: 4px;
      min-width: 220px;
    }
  }
`;

/** A calibration, to be read and printed. */
export function CalibrationReport() {
  const { id = "" } = useParams();
  const path = { params: { path: { key: id } } };
  const run = useQuery({
    queryKey: ["run", id],
    queryFn: () => got(api.GET("/api/runs/{key}", path)),
    refetchInterval: (query) => (query.state.data?.complete ? false : 2000),
    retry: false,
  });
  const found = useQuery({
    queryKey: ["calibration", id, run.data?.complete],
    placeholderData: keepPreviousData,
    queryFn: () => got(api.GET("/api/runs/{key}/calibration", path)),
    retry: false,
  });
  const error = run.error ?? found.error;
  if (error)
    return (
      <Page>
        <Trouble>{said(error)}</Trouble>
        <Link to="/logbook">All runs</Link>
      </Page>
    );
  if (!run.data || !found.data) return <Page role="status">Opening the calibration …</Page>;
  return <Report run={run.data} found={found.data} />;
}

export function Report({ run, found }: { run: RunDetail; found: Calibration }) {
  const { plan, unit, decimals, before, after, correction } = found;
  const allowed = allowedWords(plan, unit);
  return (
    <Page>
      <header>
        <div style={{ flex: 1 }}>
          <Link className="screen" to={`/logbook/${run.id}`}>
            {run.name}
          </Link>
          <h1>Calibration of {found.name}</h1>
        </div>
        {run.ended_at && (
          <ChipLink className="screen" href={`/api/runs/${run.id}/report`} target="_blank" rel="noreferrer">
            as one file that prints
          </ChipLink>
        )}
        <ChipLink className="screen" href={`/api/runs/${run.id}/calibration.csv`} download="calibration.csv">
          download as CSV
        </ChipLink>
        <Button className="screen" onPress={() => window.print()}>
          Print
        </Button>
      </header>
      <Facts>
        <Fact name="Instrument" text={found.instrument} />
        {run.item && <Fact name="Sensor or order" text={run.item} />}
        <Fact name="Operator" text={run.operator || "–"} />
        <Fact name="Begun" text={`${dated(run.begun_at / 1000)}, ${offsetName(run.begun_at / 1000)}`} />
        <Fact name="Ended" text={run.ended_at ? dated(run.ended_at / 1000) : "still on"} />
        <Fact
          name="Reference"
          text={[found.reference_name, plan.standard].filter(Boolean).join(", ") || "typed, not named"}
        />
        {plan.reference_expanded != null && (
          <Fact name="Its uncertainty" text={`± ${plan.reference_expanded} ${unit} (k = 2)`} />
        )}
        {allowed && <Fact name="Allowed" text={allowed} />}
      </Facts>
      {run.notes && <p style={{ whiteSpace: "pre-wrap" }}>{run.notes}</p>}
      {found.stages.map((one) => (
        <p key={one.stage}>
          <b>{one.stage === "as found" ? "As found" : "As left"}:</b> {stageWords(one, unit, decimals + 1)}.
        </p>
      ))}
      {found.stages.every((one) => one.stage !== "as left") && (
        <p>
          <b>As left:</b> no point was taken.
        </p>
      )}
      <div style={{ overflowX: "auto" }}>
        <CalibrationTable found={found} />
      </div>
      <DeviationChart found={found} />
      <h2>Correction</h2>
      {found.taken_in ? (
        <p>
          Taken in: {after.correction}.{" "}
          {before.correction ? `Before: ${before.correction}.` : "Before there was none."}{" "}
          {correction && (
            <>
              It leaves at most {figure(correction.largest, decimals + 2)} {unit} at the points as found.
              {correction.expanded != null &&
                ` With the reference’s uncertainty: ± ${uncertaintyWords(correction.expanded)} ${unit} (k = 2).`}
            </>
          )}
        </p>
      ) : (
        <p>None was taken in. In force: {before.correction || "none"}.</p>
      )}
      {found.taken_in && correction && (
        <p style={{ color: "var(--quiet)", overflowWrap: "anywhere" }}>
          Reading before correction → true value:{" "}
          {correction.step.points.map(([shown, true_]) => `${shown} → ${true_}`).join("; ")}
        </p>
      )}
      {(before.zero !== 0 || after.zero !== 0) && (
        <p>
          Zero taken off: {figure(before.zero, decimals)} {unit} at the beginning,{" "}
          {figure(after.zero, decimals)} {unit} at the end.
        </p>
      )}
      <CertificateFacts certificate={after.certificate} unit={unit} />
      {run.ended_at && (
        <div className="screen">
          <SealCheck run={run.id} />
        </div>
      )}
      <p style={{ color: "var(--quiet)", overflowWrap: "anywhere" }}>
        Run {run.id}, {run.folder}
      </p>
      <div className="sign">
        <span>Date</span>
        <span>Signature</span>
      </div>
    </Page>
  );
}

function CertificateFacts({
  certificate,
  unit,
}: {
  certificate: Schemas["CalibrationPart"] | null | undefined;
  unit: string;
}) {
  if (!certificate) return null;
  const stated = [
    certificate.expanded != null && `${certificate.expanded} ${unit}`.trim(),
    certificate.expanded_percent != null && `${certificate.expanded_percent} % of the reading`,
  ].filter(Boolean);
  const facts: [string, string | null | undefined][] = [
    ["Certificate", certificate.certificate],
    ["Asset", certificate.asset],
    ["Serial number", certificate.serial],
    ["Calibrated on", certificate.date],
    ["Due", certificate.due],
    ["Range", certificate.range],
    ["Uncertainty", stated.length ? `± ${stated.join(" + ")} (k = ${certificate.coverage ?? 2})` : ""],
    ["Uncertainty in words", certificate.uncertainty],
  ];
  return (
    <>
      <h2>Certificate, as in the set-up at the end</h2>
      <Facts>{facts.map(([name, text]) => text && <Fact key={name} name={name} text={text} />)}</Facts>
    </>
  );
}
