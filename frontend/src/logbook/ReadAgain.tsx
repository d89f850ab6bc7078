import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import styled from "styled-components";
import { api, type Comparison, got, type RunDetail, type Schemas } from "../api/client";
import { useAct } from "../api/useAct";
import { count, dated, figure, moment } from "../look/format";
import { mono, type Theme } from "../look/theme";
import { Button } from "../parts/Button";
import { Select } from "../parts/Select";
import { Trouble } from "../parts/Window";
import { AgainLanes } from "./AgainLanes";
import { Table } from "./Logbook";

const Text = styled.textarea`
  width: 100%;
  min-height: 260px;
  font: 13px/1.5 ${mono};
  padding: 10px 12px;
  border: 1px solid var(--hairline);
  border-radius: var(--radius);
  background: var(--panel);
  color: var(--ink);
  resize: vertical;
`;

/** A finished run read again from its tape: what was logged stays, another version of the CSV may be kept. */
export function ReadAgain({ run, theme }: { run: RunDetail; theme: Theme }) {
  const [open, setOpen] = useState(false);
  const info = useQuery({
    queryKey: ["again", run.id],
    queryFn: () => got(api.GET("/api/runs/{key}/again", { params: { path: { key: run.id } } })),
    enabled: run.ended_at !== null,
    retry: false,
  });
  if (run.ended_at === null || !info.data) return null;
  const { setups, versions } = info.data;
  return (
    <section aria-label="Read again" style={{ display: "grid", gap: 10, justifyItems: "start" }}>
      {versions.length > 0 && (
        <div style={{ width: "100%" }}>
          <h2>Read again</h2>
          <Table aria-label="Versions">
            <tbody>
              {versions.map((one) => (
                <tr key={one.version}>
                  <td>Version {one.version}</td>
                  <td>{one.instrument}</td>
                  <td className="wide">{moment(one.at / 1000)}</td>
                  <td>
                    <a href={`/api/runs/${run.id}/again/${one.version}/csv`} download={one.csv}>
                      {one.csv}
                    </a>
                    {(one.curves ?? []).map(
                      ({ again }) =>
                        again && (
                          <span key={again.number}>
                            {", "}
                            <a
                              href={`/api/runs/${run.id}/again/${one.version}/curves/${again.number}/csv`}
                              aria-label={`${again.name}, ${dated(again.begun_at / 1000)}, CSV`}
                            >
                              {again.name}
                            </a>
                          </span>
                        ),
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </Table>
        </div>
      )}
      {!open && setups.length > 0 && (
        <Button aria-expanded={false} onPress={() => setOpen(true)}>
          Read it again with a corrected set-up
        </Button>
      )}
      {open && <Correct run={run} setups={setups} theme={theme} onDone={() => setOpen(false)} />}
    </section>
  );
}

type Beside = Pick<Schemas["AgainOutcome"], "channels" | "curves" | "trends" | "from_memory">;

interface Frozen {
  id: string;
  name: string;
  text: string;
}

interface CorrectProps {
  run: RunDetail;
  setups: Frozen[];
  theme: Theme;
  onDone: () => void;
}

function Correct({ run, setups, theme, onDone }: CorrectProps) {
  const client = useQueryClient();
  const [key, setKey] = useState(setups[0]?.id ?? "");
  const [texts, setTexts] = useState<Record<string, string>>({});
  const [beside, setBeside] = useState<Beside | null>(null);
  const { run: act, trouble, busy, clear } = useAct();
  const text = texts[key] ?? setups.find((one) => one.id === key)?.text ?? "";
  const read = (keep: boolean): void => {
    const asked = { params: { path: { key: run.id } }, body: { text, keep } };
    act(async () => {
      // A refusal says nothing of what was compared before.
      setBeside(null);
      const outcome = await got(api.POST("/api/runs/{key}/again", asked));
      setBeside(outcome);
      if (!outcome.kept) return;
      await client.invalidateQueries({ queryKey: ["again", run.id] });
      onDone();
    });
  };
  return (
    <div style={{ display: "grid", gap: 10, width: "100%" }}>
      <p style={{ color: "var(--quiet)" }}>
        The bytes of the run are on its tape. Correct the set-up of an instrument, and see what it makes of
        them; what was logged stays as it is.
      </p>
      <Select
        label="Instrument"
        value={key}
        options={setups.map((one) => ({ value: one.id, text: one.name }))}
        onChange={(next) => {
          setKey(next);
          setBeside(null);
          clear();
        }}
        width={260}
      />
      <Text
        aria-label="Corrected set-up"
        spellCheck={false}
        value={text}
        onChange={(event) => {
          setTexts({ ...texts, [key]: event.target.value });
          setBeside(null);
        }}
      />
      {trouble && <Trouble>{trouble}</Trouble>}
      {beside && beside.trends.length > 0 && (
        <AgainLanes run={run} trends={beside.trends} channels={beside.channels} theme={theme} />
      )}
      {beside && beside.from_memory > 0 && (
        <p style={{ color: "var(--quiet)" }}>
          {beside.from_memory === 1 ? "One sample came" : `${count(beside.from_memory)} samples came`} along
          from memory: they are not read again, and count on neither side.
        </p>
      )}
      {beside && <SideBySide channels={beside.channels} />}
      {beside && beside.curves.length > 0 && <CurvesBeside curves={beside.curves} />}
      <div style={{ display: "flex", gap: 8 }}>
        <Button $kind={beside ? undefined : "bright"} isDisabled={busy} onPress={() => read(false)}>
          Try it
        </Button>
        {beside && (
          <Button $kind="bright" isDisabled={busy} onPress={() => read(true)}>
            Keep it as another version
          </Button>
        )}
        <Button $kind="plain" onPress={onDone}>
          Cancel
        </Button>
      </div>
    </div>
  );
}

const notUnderstood = (side: { qualities: Record<string, number> }): number =>
  side.qualities["not-understood"] ?? 0;

type Side = Comparison["logged"];

/** The mean of a side, or how many samples each of its states has. */
function middle(side: Side): string {
  if (!side) return "–";
  const states = Object.entries(side.states);
  if (states.length) return states.map(([word, samples]) => `${word} ${count(samples)}`).join(", ");
  return side.mean == null ? "–" : figure(side.mean, 3);
}

const curveWords = (curve: Beside["curves"][number]["logged"]): string =>
  curve ? `${curve.columns.map(({ name }) => name).join(", ")}; ${curve.words}` : "none";

/** The curves that were logged, and those that reading again gives, in the order they came. */
export function CurvesBeside({ curves }: { curves: Beside["curves"] }) {
  return (
    <Table aria-label="Curves logged and read again">
      <thead>
        <tr>
          <th>Curve</th>
          <th>As logged</th>
          <th>Read again</th>
        </tr>
      </thead>
      <tbody>
        {curves.map(({ logged, again, same }, n) => {
          const one = again ?? logged;
          const mark = same ? "" : !logged ? " (new)" : !again ? " (gone)" : " (differs)";
          return (
            <tr key={n} style={same ? { color: "var(--quiet)" } : { fontWeight: 600 }}>
              <td>{one && `${one.name}, ${dated(one.begun_at / 1000)}${mark}`}</td>
              <td>{curveWords(logged)}</td>
              <td>{curveWords(again)}</td>
            </tr>
          );
        })}
      </tbody>
    </Table>
  );
}

/** What was logged and what reading it again gives, channel by channel. */
export function SideBySide({ channels }: { channels: Comparison[] }) {
  return (
    <Table aria-label="Logged and read again">
      <thead>
        <tr>
          <th>Channel</th>
          <th className="number">Measured</th>
          <th className="number">read again</th>
          <th className="number">Not understood</th>
          <th className="number">read again</th>
          <th className="number">Mean</th>
          <th className="number">read again</th>
        </tr>
      </thead>
      <tbody>
        {channels.map((one) => {
          const same = JSON.stringify(one.logged) === JSON.stringify(one.again);
          return (
            <tr key={one.id} style={same ? { color: "var(--quiet)" } : { fontWeight: 600 }}>
              <td>
                {one.name}
                {one.unit && `, ${one.unit}`}
                {same ? "" : one.logged === null ? " (new)" : one.again === null ? " (gone)" : " (differs)"}
              </td>
              <td className="number">{one.logged ? count(one.logged.measured) : "–"}</td>
              <td className="number">{one.again ? count(one.again.measured) : "–"}</td>
              <td className="number">{one.logged ? count(notUnderstood(one.logged)) : "–"}</td>
              <td className="number">{one.again ? count(notUnderstood(one.again)) : "–"}</td>
              <td className="number">{middle(one.logged)}</td>
              <td className="number">{middle(one.again)}</td>
            </tr>
          );
        })}
      </tbody>
    </Table>
  );
}
