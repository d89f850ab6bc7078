import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { lazy, Suspense, useState } from "react";
import styled from "styled-components";
import { api, type Channel, got, type RunStatus, said } from "../api/client";
import { useAct } from "../api/useAct";
import { figure } from "../look/format";
import { Button, Chip } from "../parts/Button";
import { useForm } from "../parts/formFields";
import { NumberEntry } from "../parts/NumberEntry";
import { Trouble } from "../parts/Trouble";
import { usePoints } from "../points/usePoints";
import { PointTaking } from "../points/PointTaking";
import { type Fit, REFERENCE, type Stage, stageWords } from "./calibration";
import { CalibrationTable } from "./CalibrationTable";
import { CorrectionPanel } from "./CorrectionPanel";
import { DeviationChart } from "./DeviationChart";
import { LiveValue } from "./LiveValue";

const CorrectPointWindow = lazy(() =>
  import("../points/CorrectPointWindow").then((part) => ({ default: part.CorrectPointWindow })),
);
const EndWindow = lazy(() => import("../bench/RunWindows").then((part) => ({ default: part.EndWindow })));

const Panel = styled.section`
  background: var(--panel);
  border: 1px solid var(--hairline);
  border-radius: var(--radius);
  padding: 12px 16px;
  min-width: 0;
`;

const Two = styled.div`
  display: grid;
  grid-template-columns: minmax(0, 7fr) minmax(0, 5fr);
  gap: 12px;
  align-items: start;
  h2 {
    font-size: 15px;
  }
  .column {
    display: grid;
    gap: 12px;
    min-width: 0;
  }
  .wide {
    overflow-x: auto;
  }
  @media (max-width: 960px) {
    grid-template-columns: minmax(0, 1fr);
  }
`;

const Now = styled.div`
  display: flex;
  flex-wrap: wrap;
  align-items: end;
  gap: 12px 28px;
`;

export interface CalibrationBenchProps {
  run: RunStatus & { calibrates: NonNullable<RunStatus["calibrates"]> };
  channel: Channel;
  reference: Channel | undefined;
  heard: boolean;
}

/** A calibration that is on: the value now, points, the correction that they make. */
export function CalibrationBench({ run, channel, reference, heard }: CalibrationBenchProps) {
  const [fit, setFit] = useState<Fit>("straight line");
  const [degree, setDegree] = useState(2);
  const [said_, setSaid] = useState("");
  const [corrected, setCorrected] = useState<number | null>(null);
  const [ending, setEnding] = useState(false);
  const { points, earlier } = usePoints();
  const found = useQuery({
    queryKey: ["calibration", run.id, run.points, run.marks.length, fit, degree],
    queryFn: () => got(api.GET("/api/run/calibration", { params: { query: { fit, degree } } })),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const taken = found.data?.taken_in ?? false;
  const point = points.find((one) => one.number === corrected);
  return (
    <>
      {run.taking && <PointTaking taking={run.taking} heard={heard} />}
      <Two>
        <div className="column">
          <Panel aria-label="Take a point">
            <Now>
              <LiveValue channel={channel} what={`${channel.name} now`} />
              {reference && <LiveValue channel={reference} what={`Reference: ${reference.name}`} />}
              <TakePoint run={run} channel={channel} taken={taken} />
            </Now>
          </Panel>
          {found.error && <Trouble>{said(found.error)}</Trouble>}
          <Panel aria-label="Points" className="wide">
            {found.data?.rows.length ? (
              <CalibrationTable found={found.data} onCorrect={setCorrected} />
            ) : (
              <p style={{ color: "var(--quiet)" }}>
                No point yet. Set the reference to the first value, wait for it, and take the point. Begin
                with points as found: before anything is adjusted.
              </p>
            )}
          </Panel>
        </div>
        <div className="column">
          {found.data && found.data.rows.length > 0 && (
            <Panel>
              {found.data.stages.map((one) => (
                <p key={one.stage}>
                  <b>{one.stage === "as found" ? "As found" : "As left"}:</b>{" "}
                  {stageWords(one, channel.unit, channel.decimals + 1)}.
                </p>
              ))}
              <DeviationChart found={found.data} />
            </Panel>
          )}
          {found.data && (
            <Panel>
              <CorrectionPanel
                key={run.id}
                run={run.id}
                found={found.data}
                fit={fit}
                degree={degree}
                onFit={(next, of) => {
                  setFit(next);
                  setDegree(of);
                }}
                onTaken={setSaid}
              />
              {said_ && <p role="status">{said_}</p>}
            </Panel>
          )}
          <div>
            <Button onPress={() => setEnding(true)}>End the calibration</Button>
          </div>
        </div>
      </Two>
      <Suspense fallback={null}>
        {point && <CorrectPointWindow point={point} earlier={earlier} onClose={() => setCorrected(null)} />}
        {ending && <EndWindow run={run} onClose={() => setEnding(false)} />}
      </Suspense>
    </>
  );
}

/** The reference, the stage, and the button. */
function TakePoint({
  run,
  channel,
  taken,
}: {
  run: CalibrationBenchProps["run"];
  channel: Channel;
  taken: boolean;
}) {
  const [value, setValue] = useState<number | null>(null);
  const [chosen, setChosen] = useState<Stage | null>(null);
  const act = useAct();
  const fields = useForm();
  const { rule } = usePoints();
  const stage: Stage = chosen ?? (taken ? "as left" : "as found");
  const undo = useAct();
  const typed = run.calibrates.reference == null;
  const take = (): void =>
    act.run(async () => {
      if (!rule) return;
      const sets = typed && value !== null ? [{ name: REFERENCE, unit: channel.unit, value }] : [];
      await got(
        api.POST("/api/run/points", {
          body: { rule, stage, sets, typed: [], name: "", note: "", by: run.operator },
        }),
      );
    });
  return (
    <>
      {fields.within(
        <>
          {typed && (
            <NumberEntry
              label={`Reference${channel.unit ? `, ${channel.unit}` : ""}`}
              value={value}
              onValue={setValue}
              width={130}
              empty
              placeholder="true value"
            />
          )}
          <div role="group" aria-label="Stage" style={{ display: "flex", gap: 4 }}>
            {(["as found", "as left"] as const).map((one) => (
              <Chip
                key={one}
                $chosen={stage === one}
                aria-pressed={stage === one}
                onPress={() => setChosen(one)}
                style={{ minHeight: 34 }}
              >
                {one}
              </Chip>
            ))}
          </div>
          <Button
            $kind="bright"
            onPress={take}
            isDisabled={
              act.busy || !rule || run.taking != null || fields.wrong !== "" || (typed && value === null)
            }
          >
            Take the point
          </Button>
        </>,
      )}
      {channel.zero !== 0 && (
        <p style={{ flexBasis: "100%", color: "var(--quiet)" }}>
          {figure(channel.zero, channel.decimals)} {channel.unit} is taken off as its zero. It is undone
          before a correction is taken in.{" "}
          <Chip
            onPress={() =>
              undo.run(() =>
                got(
                  api.POST("/api/channels/{key}/zero", {
                    params: { path: { key: channel.id }, query: { undo: true } },
                  }),
                ),
              )
            }
          >
            undo the zero
          </Chip>
        </p>
      )}
      {(act.trouble || undo.trouble) && <Trouble>{act.trouble || undo.trouble}</Trouble>}
    </>
  );
}
