import { useState } from "react";
import styled from "styled-components";
import type { Failure, PreviewRow, ReaderPart, ReadingProposal, Remedy, Setup } from "../api/client";
import { clockMilli } from "../look/format";
import { mono } from "../look/theme";
import { Chip } from "../parts/Button";
import { ControlText } from "../parts/ControlText";
import { escaped } from "../parts/escapes";
import { FailureList } from "./FailureList";
import { PointAt } from "./PointAt";
import { ProposalCard, useProposals } from "./ProposalCard";
import { QuestionList } from "./QuestionList";
import { ReaderFields } from "./ReaderFields";
import { RegisterTable } from "./RegisterTable";
import type { StageProps } from "./stage";

const Pattern = styled.label`
  display: grid;
  gap: 4px;
  font-size: 12.5px;
  color: var(--quiet);
  textarea {
    font: 600 14px/1.6 ${mono};
    color: var(--ink);
    padding: 8px 12px;
    border: 1px solid var(--hairline);
    border-radius: var(--radius);
    background: var(--ground);
    resize: vertical;
    min-height: 44px;
  }
`;

const Table = styled.div`
  max-height: 250px;
  overflow: auto;
  table {
    width: 100%;
    border-collapse: collapse;
    font-size: 13px;
  }
  th {
    text-align: left;
    color: var(--quiet);
    font-weight: 600;
    position: sticky;
    top: 0;
    background: var(--panel);
  }
  th,
  td {
    padding: 5px 14px 5px 0;
    border-bottom: 1px solid var(--ruling);
    vertical-align: top;
  }
  .wire {
    font-family: ${mono};
    white-space: pre-wrap;
    overflow-wrap: anywhere;
  }
  .why {
    color: var(--fault);
  }
`;

const NONE = "no message pattern yet";
const MAX_NAMES = 12;
const rowsOf = (patterns: string[]): number => Math.max(1, patterns.length);
const split = (text: string): string[] => text.split("\n").filter((line) => line.trim() !== "");

/** What one query, or the listener, is read by. */
interface Reading {
  query: string | null;
  title: string;
  reader: ReaderPart | null;
  patterns: string[];
  errors: string[];
}

type Change = Partial<Pick<Reading, "reader" | "patterns" | "errors">>;

const EMPTY = { begins: "", contains: "", patterns: [], errors: [], reader: null };

/** Everything in a set-up that says how messages read. */
export function readingsOf(setup: Setup): Reading[] {
  if (setup.modbus) return [];
  if (setup.instrument.talks === "when asked")
    return setup.query.map((query) => ({
      query: query.id,
      title: `Answers to ${escaped(query.send)}`,
      reader: query.reader ?? null,
      patterns: query.patterns,
      errors: query.errors,
    }));
  const listen = setup.listen;
  return [
    {
      query: null,
      title: "Messages",
      reader: listen?.reader ?? null,
      patterns: listen?.patterns ?? [],
      errors: listen?.errors ?? [],
    },
  ];
}

/** The set-up with one of its readings changed. */
export function withReading(setup: Setup, query: string | null, part: Change): Partial<Setup> {
  if (query === null) return { listen: { ...EMPTY, ...setup.listen, ...part } };
  return { query: setup.query.map((one) => (one.id === query ? { ...one, ...part } : one)) };
}

/** Take a proposal: how messages read, what proves them whole, and channels where there are none yet. */
export function taken(setup: Setup, proposal: ReadingProposal): Partial<Setup> {
  const reading = proposal.reading as { reader?: ReaderPart; patterns?: string[]; errors?: string[] };
  const part = {
    reader: reading.reader ?? null,
    patterns: reading.patterns ?? [],
    ...(reading.errors?.length ? { errors: reading.errors } : {}),
  };
  const own = setup.channel.filter(
    (channel) => setup.query.length < 2 || (channel.query ?? null) === proposal.query,
  );
  const fields = new Set(own.map((channel) => channel.field));
  const kept = setup.channel.filter((channel) => !own.includes(channel));
  const still = own.filter((channel) => proposal.channels.some((one) => one.field === channel.field));
  const fresh = proposal.channels.filter((channel) => !fields.has(channel.field));
  return {
    ...withReading(setup, proposal.query ?? null, part),
    framing: { ...setup.framing, check: proposal.check as Setup["framing"]["check"] },
    channel: [...kept, ...still, ...fresh],
  };
}

interface Props extends StageProps {
  rows: PreviewRow[];
  failures: Failure[];
  instrumentKey: string;
  changes: Record<string, unknown>;
}

/** How messages read: proposed, pointed at, or typed; with what it makes of the last messages before anything is kept. */
export function ReadingsStage({ setup, change, rows, failures, instrumentKey, changes }: Props) {
  const [turn, setTurn] = useState(0); // text areas that were written from elsewhere start again
  const [asking, setAsking] = useState(false);
  const [answers, setAnswers] = useState<Record<string, string>>({});
  const readings = readingsOf(setup);
  const unread = readings.some((one) => !one.reader && !one.patterns.length);
  const proposals = useProposals(
    instrumentKey,
    changes,
    !setup.modbus && (unread || asking) && rows.length > 0,
    answers,
  );
  const apply = (part: Partial<Setup>): void => {
    change(part);
    setTurn((old) => old + 1);
  };
  const remedy = (failure: Failure, one: Remedy): void => {
    const reading = readings.find((each) => (each.query ?? "") === failure.query);
    if (!reading) return;
    if (one.stands_for && reading.reader && "none" in reading.reader) {
      const reader = { ...reading.reader };
      reader[one.stands_for] = [...reader[one.stands_for], one.token];
      apply(withReading(setup, reading.query, { reader }));
    } else if (one.error)
      apply(withReading(setup, reading.query, { errors: [...reading.errors, one.source] }));
    else if (one.number == null)
      apply(withReading(setup, reading.query, { patterns: [...reading.patterns, one.source] }));
    else
      apply(
        withReading(setup, reading.query, {
          patterns: reading.patterns.map((pattern, n) => (n === one.number ? one.source : pattern)),
        }),
      );
  };
  const asked = (query: string | null) =>
    (proposals.data?.questions ?? []).filter((one) => (one.query ?? null) === query);
  const needed = (query: string | null) =>
    (proposals.data?.needs ?? []).filter((one) => (one.query ?? null) === query).map((one) => one.words);
  const offered = (query: string | null): ReadingProposal[] =>
    (proposals.data?.readings ?? []).filter((one) => (one.query ?? null) === query);
  return (
    <>
      {setup.modbus && <RegisterTable setup={setup} change={change} />}
      {readings.map((reading) => {
        const own = rows.filter((row) => row.query === (reading.query ?? "") || !row.query);
        const newest = own.find((row) => row.spans.length) ?? own[0];
        const bare = !reading.reader && !reading.patterns.length;
        const set = (part: Change): void => change(withReading(setup, reading.query, part));
        const index = newest?.pattern ?? Math.max(0, reading.patterns.length - 1);
        return (
          <section
            key={reading.query ?? "listen"}
            style={{ display: "grid", gap: 8 }}
            aria-label={reading.title}
          >
            {readings.length > 1 && <b style={{ fontSize: 13.5 }}>{reading.title}</b>}
            {(bare || asking) && asked(reading.query).length > 0 && (
              <QuestionList
                questions={asked(reading.query)}
                onAnswer={(key, choice) => setAnswers((old) => ({ ...old, [key]: choice }))}
              />
            )}
            {(bare || asking) &&
              needed(reading.query).map((words) => (
                <p key={words} role="status" style={{ margin: 0, color: "var(--quiet)" }}>
                  {words}
                </p>
              ))}
            {(bare || asking) && Object.keys(answers).length > 0 && (
              <div>
                <Chip style={{ minHeight: 30 }} onPress={() => setAnswers({})}>
                  ask me again
                </Chip>
              </div>
            )}
            {(bare || asking) &&
              offered(reading.query).map((proposal) => (
                <ProposalCard
                  key={proposal.title}
                  proposal={proposal}
                  onTake={() => {
                    setAsking(false);
                    apply(taken(setup, proposal));
                  }}
                />
              ))}
            {newest && !reading.reader && (
              <PointAt
                row={newest}
                source={reading.patterns[index] ?? ""}
                encoding={setup.framing.encoding}
                onSource={(source) =>
                  apply(
                    withReading(setup, reading.query, {
                      patterns: reading.patterns.length
                        ? reading.patterns.map((pattern, n) => (n === index ? source : pattern))
                        : [source],
                    }),
                  )
                }
              />
            )}
            {reading.reader && (
              <ReaderFields reader={reading.reader} onReader={(reader) => set({ reader })} />
            )}
            <Pattern>
              {reading.reader ? "Other messages, as patterns" : "Message patterns, tried in order"}
              <textarea
                key={turn}
                aria-label={
                  readings.length > 1 ? `Patterns of the a${reading.title.slice(1)}` : "Message patterns"
                }
                spellCheck={false}
                rows={rowsOf(reading.patterns)}
                style={reading.reader ? { minHeight: 38 } : undefined}
                defaultValue={reading.patterns.join("\n")}
                placeholder={reading.reader ? "none" : "FL=<flow [L/min]> L/min <state:word>"}
                onChange={(event) => set({ patterns: split(event.target.value) })}
              />
            </Pattern>
            <div style={{ display: "flex", flexWrap: "wrap", gap: 8, alignItems: "end" }}>
              {!reading.reader && <ReaderFields reader={null} onReader={(reader) => set({ reader })} />}
              <ErrorReplies
                key={`errors ${turn}`}
                errors={reading.errors}
                onErrors={(errors) => set({ errors })}
              />
              {!bare && (
                <Chip style={{ minHeight: 34 }} aria-expanded={asking} onPress={() => setAsking(!asking)}>
                  {asking ? "hide the proposals" : "propose how to read them"}
                </Chip>
              )}
            </div>
          </section>
        );
      })}
      <FailureList failures={unread ? [] : failures} onRemedy={remedy} />
      <Messages rows={rows} />
    </>
  );
}

/** Patterns of the instrument's own error replies: out of the way until there are some. */
function ErrorReplies({ errors, onErrors }: { errors: string[]; onErrors: (errors: string[]) => void }) {
  const [open, setOpen] = useState(errors.length > 0);
  if (!open)
    return (
      <Chip style={{ minHeight: 34 }} aria-expanded={false} onPress={() => setOpen(true)}>
        error replies …
      </Chip>
    );
  return (
    <Pattern style={{ flex: "1 0 100%" }}>
      Its own error replies, as patterns
      <textarea
        spellCheck={false}
        rows={rowsOf(errors)}
        style={{ minHeight: 38 }}
        defaultValue={errors.join("\n")}
        placeholder="E<code:int> <why:text>"
        onChange={(event) => onErrors(split(event.target.value))}
      />
    </Pattern>
  );
}

function Messages({ rows }: { rows: PreviewRow[] }) {
  const names = [...new Set(rows.flatMap((row) => Object.keys(row.fields)))].slice(0, MAX_NAMES);
  const good = rows.filter((row) => !row.why).length;
  if (rows.length === 0)
    return <p style={{ color: "var(--quiet)" }}>No message has come yet that could be shown here.</p>;
  return (
    <Table tabIndex={0} aria-label="The last messages" data-testid="preview">
      <table>
        <thead>
          <tr>
            <th>At</th>
            <th>
              Message ({good} of {rows.length} understood)
            </th>
            {names.map((name) => (
              <th key={name}>{name}</th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.slice(0, 60).map((row, index) => (
            <tr key={`${row.at} ${index}`}>
              <td style={{ whiteSpace: "nowrap" }}>{clockMilli(row.at / 1000)}</td>
              <td className="wire">
                <ControlText text={row.message} />
              </td>
              {row.why ? (
                <td className={row.why === NONE ? undefined : "why"} colSpan={Math.max(1, names.length)}>
                  {row.why === NONE ? "" : row.why}
                </td>
              ) : (
                names.map((name) => (
                  <td key={name}>
                    <b>{row.fields[name] ?? ""}</b>
                  </td>
                ))
              )}
            </tr>
          ))}
        </tbody>
      </table>
    </Table>
  );
}
