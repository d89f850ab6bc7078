import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { FileTrigger } from "react-aria-components";
import { Link } from "react-router";
import styled from "styled-components";
import { api, got, type ProcedureInfo, type ProcedureStatus } from "../api/client";
import { queries } from "../api/queries";
import { useAct } from "../api/useAct";
import { wanted } from "../alarms/calls";
import { useLive } from "../live/connection";
import { moment } from "../look/format";
import type { Theme } from "../look/theme";
import { Button, Chip, ChipLink } from "../parts/Button";
import { Trouble } from "../parts/Trouble";
import { useLate } from "../parts/useLate";
import { useCloseGuard } from "../parts/useLeaveGuard";
import { EditableCards } from "./EditableCards";
import { durationWords } from "./lines";
import { Rehearsal } from "./Rehearsal";
import { Running } from "./Running";
import { type Draft, keepDraft, unkeptDraft } from "./unkept";

const Page = styled.main`
  padding: 0 12px 24px;
  .top {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 8px 12px;
    padding: 6px 0 10px 6px;
  }
  .open {
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
    padding: 4px 0 4px 6px;
  }
  h1 {
    font-size: 22px;
    overflow-wrap: anywhere;
  }
  .state {
    color: var(--quiet);
    flex: 1 1 160px;
  }
  .columns {
    display: grid;
    grid-template-columns: 230px minmax(0, 1fr) minmax(260px, 360px);
    gap: 12px;
    align-items: start;
  }
  @media (max-width: 1100px) {
    .columns {
      grid-template-columns: minmax(0, 1fr);
    }
  }
  textarea {
    width: 100%;
    min-height: 420px;
    padding: 12px 14px;
    font:
      600 14px/1.6 "Atkinson Hyperlegible Mono Variable",
      monospace;
    color: var(--ink);
    background: var(--panel);
    border: 1px solid var(--hairline);
    border-radius: var(--radius);
    resize: vertical;
    white-space: pre;
    overflow-x: auto;
  }
  section {
    background: var(--panel);
    border: 1px solid var(--hairline);
    border-radius: var(--radius);
    padding: 12px 16px;
    margin-bottom: 12px;
    overflow-wrap: anywhere;
  }
  h2 {
    font-size: 15px;
    margin: 0 0 6px;
  }
  ul,
  ol.plain {
    list-style: none;
    margin: 0;
    padding: 0;
  }
  .kept button {
    width: 100%;
    text-align: left;
    padding: 6px 10px;
    border: 0;
    border-radius: 6px;
    background: none;
    color: inherit;
    font: inherit;
    font-weight: 600;
    cursor: pointer;
    overflow-wrap: anywhere;
  }
  .kept button[aria-pressed="true"] {
    background: var(--chosen);
  }
  .kept small {
    display: block;
    font-weight: 400;
    color: var(--quiet);
  }
  .problem button {
    border: 0;
    padding: 0;
    background: none;
    color: var(--fault);
    font: inherit;
    font-weight: 600;
    text-align: left;
    cursor: pointer;
  }
  .problem {
    padding: 3px 0;
  }
  .sent {
    font-family: "Atkinson Hyperlegible Mono Variable", monospace;
    font-size: 13px;
  }
`;

const FRESH = `procedure New procedure
  ask "Is everything ready?"
  wait 5 s
always
  say "done"
`;

/** Those that have ended and were put away, by their ids. */
const seen = new Set<number>();

/** One by its id; the one of this name that was begun here, later than those that were known then; the place to write; null: the oldest of
 *  those that are open. */
type Shown = number | { begun: string; after: number } | "writing" | null;

function chosenOf(open: ProcedureStatus[], shown: Shown): ProcedureStatus | undefined {
  if (shown === "writing") return undefined;
  if (shown === null) return open[0];
  if (typeof shown === "number") return open.find((one) => one.id === shown) ?? open[0];
  return open.find((one) => one.name === shown.begun && one.id > shown.after);
}

/** The procedures of the bench: carried out, written, checked. */
export function ProceduresPage({ theme }: { theme: Theme }) {
  const all = useLive((live) => live.status?.procedures ?? NONE);
  const operator = useLive((live) => live.status?.run?.operator ?? "");
  const by = operator || wanted().person;
  const [shown, setShown] = useState<Shown>(null);
  // One that has ended stays in sight until somebody puts it away.
  const open = all.filter((one) => one.state !== "ended" || !seen.has(one.id));
  const now = chosenOf(open, shown);
  const bar = open.length > 0 && (
    <div className="open" role="group" aria-label="Procedures that are carried out">
      {open.map((one) => (
        <Chip key={one.id} $chosen={one === now} aria-pressed={one === now} onPress={() => setShown(one.id)}>
          {one.name}
          {stateWords(one)}
        </Chip>
      ))}
      <Chip $chosen={!now} aria-pressed={!now} onPress={() => setShown("writing")}>
        Write or begin another
      </Chip>
    </div>
  );
  const begin = (name: string): void =>
    setShown({ begun: name, after: Math.max(0, ...all.map((one) => one.id)) });
  if (!now) return <Writing by={by} bar={bar} onBegin={begin} />;
  const putAway = (): void => {
    seen.add(now.id);
    setShown("writing");
  };
  return <Going key={now.id} status={now} by={by} theme={theme} bar={bar} onDone={putAway} />;
}

const NONE: ProcedureStatus[] = [];

/** What a person wants to know of one that is not looked at. */
const stateWords = (one: ProcedureStatus): string =>
  one.question
    ? ": asks"
    : one.state === "ended"
      ? one.failed
        ? ": stopped"
        : ": done"
      : one.state === "paused"
        ? ": paused"
        : "";

interface GoingProps {
  status: ProcedureStatus;
  by: string;
  theme: Theme;
  bar: React.ReactNode;
  onDone: () => void;
}

function Going({ status, by, theme, bar, onDone }: GoingProps) {
  const { id } = status;
  const { run, trouble, busy } = useAct();
  const paused = status.state === "paused";
  const words = {
    running: `line ${status.line}${insideWords(status)}, since ${moment(status.begun_at / 1000)}, begun by ${status.by}`,
    paused: `paused at line ${status.line}`,
    "at its end": "stopping: what is always done is being done",
    ended: status.failed ? "stopped" : "done",
  }[status.state];
  return (
    <Page>
      {bar}
      <div className="top">
        <h1>{status.name}</h1>
        <span className="state" role="status">
          {words}
        </span>
        {status.state === "ended" ? (
          <Button $kind="bright" onPress={onDone}>
            All procedures
          </Button>
        ) : (
          <>
            <Button
              isDisabled={busy || status.state === "at its end"}
              onPress={() =>
                run(() => got(api.POST("/api/procedure/pause", { body: { id, on: !paused, by } })))
              }
            >
              {paused ? "Go on" : "Pause"}
            </Button>
            <Button
              isDisabled={busy || status.until == null || status.question != null || paused}
              onPress={() => run(() => got(api.POST("/api/procedure/skip", { body: { id, by } })))}
            >
              Skip this wait
            </Button>
            <StopButton id={id} by={by} isDisabled={status.state === "at its end"} />
          </>
        )}
      </div>
      {trouble && <Trouble>{trouble}</Trouble>}
      <Running status={status} by={by} theme={theme} />
    </Page>
  );
}

const insideWords = (status: ProcedureStatus): string =>
  status.inside.map((one) => `, in “${one.name}”${one.line ? ` line ${one.line}` : ""}`).join("");

const Red = styled(Button)`
  background: var(--fault);
  border-color: var(--fault);
  color: var(--panel);
  font-weight: 700;
`;

/** Stops a procedure at once: it asks nothing, for whoever presses it is in a hurry. */
function StopButton({ id, by, isDisabled }: { id: number; by: string; isDisabled: boolean }) {
  const { run, trouble } = useAct();
  return (
    <>
      <Red
        isDisabled={isDisabled}
        onPress={() => run(() => got(api.POST("/api/procedure/stop", { body: { id, by } })))}
      >
        Stop, then do “always”
      </Red>
      {trouble && <Trouble>{trouble}</Trouble>}
    </>
  );
}

function Writing({
  by,
  bar,
  onBegin,
}: {
  by: string;
  bar: React.ReactNode;
  onBegin: (name: string) => void;
}) {
  const kept = useQuery({ queryKey: ["procedures"], queryFn: () => got(api.GET("/api/procedures")) });
  const [draft, setState] = useState(unkeptDraft);
  const all = kept.data ?? [];
  const textOf = (name: string | null): string => all.find((one) => one.name === name)?.text ?? FRESH;
  const setDraft = (next: Draft | null): void => {
    // One that is only looked at is not kept: it may be another one when somebody comes back.
    keepDraft(next && next.text !== textOf(next.of) ? next : null);
    setState(next);
  };
  const first = all[0];
  const now = draft ?? (first ? { text: first.text, of: first.name } : { text: FRESH, of: null });
  const before = all.find((one) => one.name === now.of)?.text;
  const changed = draft !== null && draft.text !== (before ?? FRESH);
  const choose = (one: ProcedureInfo): void => setDraft({ text: one.text, of: one.name });
  if (kept.isPending) return <p style={{ padding: 40, color: "var(--quiet)" }}>Fetching the procedures …</p>;
  if (kept.isError)
    return (
      <p style={{ padding: 40 }} role="alert">
        {kept.error.message}
      </p>
    );
  return (
    <Page>
      {bar}
      <Editor
        onBegin={onBegin}
        key={now.of ?? ""}
        text={now.text}
        of={now.of}
        changed={changed}
        by={by}
        onText={(text) => setDraft({ ...now, text })}
        onKept={(name, text) => setDraft({ text, of: name })}
        onGone={() => setDraft(null)}
        list={
          <section className="kept" aria-label="Kept procedures">
            <ul>
              {all.map((one) => (
                <li key={one.name}>
                  <button
                    type="button"
                    aria-pressed={one.name === now.of}
                    disabled={changed && one.name !== now.of}
                    onClick={() => choose(one)}
                  >
                    {one.name}
                    <small>
                      {one.problems === 0
                        ? `kept ${moment(one.saved_at / 1000)}`
                        : one.problems === 1
                          ? "1 problem on this bench"
                          : `${one.problems} problems on this bench`}
                    </small>
                  </button>
                </li>
              ))}
            </ul>
            {all.length === 0 && <p>None yet: write one, and keep it.</p>}
            <div style={{ display: "flex", flexWrap: "wrap", gap: 6, marginTop: 8 }}>
              <Chip isDisabled={changed} onPress={() => setDraft({ text: FRESH, of: null })}>
                new
              </Chip>
              <FileTrigger
                acceptedFileTypes={[".procedure", "text/plain"]}
                onSelect={(files) => void files?.[0]?.text().then((text) => setDraft({ text, of: null }))}
              >
                <Chip isDisabled={changed}>open a file</Chip>
              </FileTrigger>
            </div>
            {changed && <p style={{ color: "var(--quiet)" }}>Keep or discard the changes first.</p>}
          </section>
        }
      />
    </Page>
  );
}

interface EditorProps {
  text: string;
  of: string | null;
  changed: boolean;
  by: string;
  list: React.ReactNode;
  onText: (text: string) => void;
  onKept: (name: string, text: string) => void;
  onGone: () => void;
  onBegin: (name: string) => void;
}

function Editor({ text, of, changed, by, list, onText, onKept, onGone, onBegin }: EditorProps) {
  const [cards, setCards] = useState(false);
  const [rehearsing, setRehearsing] = useState(false);
  const { run, trouble, busy } = useAct();
  useCloseGuard(changed);
  const late = useLate(text, 250);
  const check = useQuery({
    queryKey: ["procedure check", late],
    queryFn: () => got(api.POST("/api/procedures/check", { body: { text: late } })),
    placeholderData: (old) => old,
  });
  const found = check.data;
  // What was found out of an older text stays in sight, but nothing begins by it.
  const checked = late === text && !check.isPlaceholderData ? found : undefined;
  const problems = found?.problems ?? [];
  const keep = (): void =>
    run(async () => {
      const one = await got(api.POST("/api/procedures", { body: { text } }));
      await queries.invalidateQueries({ queryKey: ["procedures"] });
      onKept(one.name, text);
    });
  const show = (line: number, column: number): void => {
    const area = document.querySelector<HTMLTextAreaElement>("textarea[aria-label='Text of the procedure']");
    if (!area) return setCards(false);
    const start =
      text
        .split("\n")
        .slice(0, line - 1)
        .join("\n").length +
      (line > 1 ? 1 : 0) +
      column -
      1;
    area.focus();
    area.setSelectionRange(start, start + 1);
  };
  return (
    <>
      <div className="top">
        <h1>{found?.name || of || "Procedures"}</h1>
        <span className="state" role="status">
          {changed ? "not kept yet" : ""}
        </span>
        <Link to="/procedures/reactions">Reactions</Link>
        <Chip $chosen={!cards} aria-pressed={!cards} onPress={() => setCards(false)}>
          text
        </Chip>
        <Chip $chosen={cards} aria-pressed={cards} onPress={() => setCards(true)}>
          cards
        </Chip>
        {of !== null && !changed && (
          <>
            <ChipLink href={`/api/procedures/${encodeURIComponent(of)}/file`} download>
              export
            </ChipLink>
            <Chip
              onPress={() =>
                run(async () => {
                  await got(api.DELETE("/api/procedures/{name}", { params: { path: { name: of } } }));
                  await queries.invalidateQueries({ queryKey: ["procedures"] });
                  onGone();
                })
              }
            >
              remove
            </Chip>
          </>
        )}
        {changed && <Button onPress={onGone}>Discard</Button>}
        <Button isDisabled={busy || (!changed && of !== null)} onPress={keep}>
          Keep
        </Button>
        <Button
          isDisabled={!checked || problems.length > 0 || rehearsing}
          onPress={() => setRehearsing(true)}
        >
          Rehearse
        </Button>
        <Button
          $kind="bright"
          isDisabled={busy || !checked || problems.length > 0}
          onPress={() =>
            run(() => {
              onBegin(checked?.name ?? ""); // before it can be in the status
              return got(api.POST("/api/procedure/start", { body: { text, by } }));
            })
          }
        >
          Begin
        </Button>
      </div>
      {trouble && <Trouble>{trouble}</Trouble>}
      <div className="columns">
        {list}
        {cards ? (
          <EditableCards text={text} onText={onText} wrong={new Set(problems.map((one) => one.line))} />
        ) : (
          <textarea
            aria-label="Text of the procedure"
            spellCheck={false}
            value={text}
            onChange={(event) => onText(event.target.value)}
          />
        )}
        <div>
          {rehearsing && problems.length === 0 && (
            <Rehearsal text={text} onClose={() => setRehearsing(false)} />
          )}
          {problems.length > 0 ? (
            <section aria-label="What is wrong" style={{ borderColor: "var(--fault)" }}>
              <h2>What is wrong</h2>
              <ul>
                {problems.map((one) => (
                  <li key={`${one.line} ${one.column} ${one.what}`} className="problem">
                    <button type="button" onClick={() => show(one.line, one.column)}>
                      Line {one.line}, column {one.column}: {one.what}
                    </button>
                  </li>
                ))}
              </ul>
            </section>
          ) : (
            found && (
              <section aria-label="What it would send">
                <h2>What it would send</h2>
                <p>{durationWords(found.least_s, found.most_s)}</p>
                {found.sends.length === 0 && <p>It sends nothing.</p>}
                <ol className="plain">
                  {found.sends.slice(0, 60).map((one, place) => (
                    <li key={place}>
                      <span style={{ color: "var(--quiet)" }}>line {one.line}</span> {one.instrument}{" "}
                      <span className="sent">
                        {one.data == null ? `${one.command}, with a value known then` : printed(one.data)}
                      </span>
                    </li>
                  ))}
                </ol>
                {found.sends.length > 60 && <p>and {found.sends.length - 60} more</p>}
              </section>
            )
          )}
        </div>
      </div>
    </>
  );
}

/** Bytes without their end, as they are read; others as dots. */
const printed = (data: string): string => data.trimEnd().replace(/[^\x20-\x7e]/g, "·");
