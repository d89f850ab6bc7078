import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import styled from "styled-components";
import { api, got, type RehearsalReport, said } from "../api/client";
import { useAct } from "../api/useAct";
import { clock, dated, elapsed } from "../look/format";
import { Button, Chip } from "../parts/Button";
import { useForm } from "../parts/formFields";
import { NumberEntry } from "../parts/NumberEntry";
import { Entry, Fields, Select } from "../parts/Select";
import { Trouble } from "../parts/Trouble";
import { lasting } from "./lines";

const Box = styled.section`
  .outcome {
    font-size: 16px;
    font-weight: 700;
    margin: 12px 0 4px;
  }
  .quiet {
    color: var(--quiet);
  }
  .bad {
    color: var(--fault);
    font-weight: 600;
  }
`;

const Steps = styled.ol`
  list-style: none;
  margin: 8px 0 0;
  padding: 0;
  max-height: 50vh;
  overflow-y: auto;
  li {
    display: grid;
    grid-template-columns: 62px 54px minmax(0, 1fr);
    gap: 8px;
    padding: 2px 0;
    font-variant-numeric: tabular-nums;
  }
`;

/** A procedure in quick time, against the instruments of a run that was logged. Nothing is sent. */
export function Rehearsal({ text, onClose }: { text: string; onClose: () => void }) {
  const runs = useQuery({
    queryKey: ["runs to rehearse against"],
    queryFn: () => got(api.GET("/api/runs", { params: { query: { limit: 50 } } })),
  });
  const [chosen, setChosen] = useState<string | null>(null);
  const [answers, setAnswers] = useState<Record<string, number | string>>({});
  const [done, setDone] = useState<{ of: string; report: RehearsalReport } | null>(null);
  const [typed, setTyped] = useState<number | string | null>(null);
  const { run, trouble, busy } = useAct();
  const fields = useForm();
  const all = runs.data?.runs ?? [];
  const now = chosen ?? all[0]?.id ?? "";
  const rehearse = (given: Record<string, number | string>): void =>
    run(async () => {
      setAnswers(given);
      const report = await got(
        api.POST("/api/procedures/rehearse", { body: { text, run: now, answers: given } }),
      );
      setDone({ of: text + now, report });
      setTyped(null);
    });
  const report = done?.of === text + now ? done.report : null;
  const goOn = (): void => {
    if (report?.asks && typed !== null) rehearse({ ...answers, [report.asks.number]: typed });
  };
  return fields.within(
    <Box aria-label="Rehearsal">
      <h2>Rehearsal</h2>
      <p className="quiet" style={{ marginBottom: 10 }}>
        In quick time, against the instruments as they answered in a run. Nothing is sent to the bench.
      </p>
      {runs.error && <Trouble>{said(runs.error)}</Trouble>}
      {runs.data && all.length === 0 && (
        <p>The Logbook has no run yet. Log one, and its instruments can be played.</p>
      )}
      {all.length > 0 && (
        <Fields>
          <Select
            label="As in the run"
            value={now}
            options={all.map((one) => ({
              value: one.id,
              text: `${one.name}, ${dated(one.begun_at / 1000, clock(one.begun_at / 1000))}`,
            }))}
            onChange={(id) => setChosen(id)}
            width="100%"
          />
          <Button $kind="bright" isDisabled={busy} onPress={() => rehearse({})}>
            {busy ? "Rehearsing …" : "Rehearse"}
          </Button>
          <Chip onPress={onClose}>Close</Chip>
        </Fields>
      )}
      {trouble && <Trouble>{trouble}</Trouble>}
      {report && (
        <div role="status">
          <p className={report.failed ? "outcome bad" : "outcome"}>
            {report.failed ? `It would stop: ${report.why}.` : `It would take ${lasting(report.took_s)}.`}
          </p>
          {report.silent.length > 0 && (
            <p className="bad">This run has nothing of {report.silent.join(", ")}: they do not answer.</p>
          )}
          {report.sends.some((one) => !one.known) && (
            <p className="quiet">
              {report.sends.filter((one) => !one.known).length} of {report.sends.length} commands were not
              sent in that run: they are taken as answered, and nothing follows from them.
            </p>
          )}
          {report.asks && (
            <Fields>
              {report.asks.answer === "text" ? (
                <Entry
                  label={`Line ${report.asks.line} asks for a text`}
                  value={typeof typed === "string" ? typed : ""}
                  onChange={setTyped}
                  width={220}
                />
              ) : (
                <NumberEntry
                  label={`Line ${report.asks.line} asks for a number`}
                  value={typeof typed === "number" ? typed : null}
                  onValue={setTyped}
                  width={160}
                  empty
                />
              )}
              <Button isDisabled={busy || typed === null || typed === ""} onPress={goOn}>
                Go on
              </Button>
            </Fields>
          )}
          <Steps tabIndex={0} aria-label="Steps of the rehearsal">
            {report.log.map((one, place) => (
              <li key={place} className={one.good ? "" : "bad"}>
                <span className="quiet">{elapsed(one.at / 1000)}</span>
                <span className="quiet">{one.line > 0 ? `line ${one.line}` : ""}</span>
                <span>{one.words}</span>
              </li>
            ))}
          </Steps>
        </div>
      )}
    </Box>,
  );
}
