import { useState } from "react";
import styled from "styled-components";
import { api, got, type InstrumentCommandPart, type TableRead } from "../api/client";
import { useAct } from "../api/useAct";
import { Button } from "../parts/Button";
import { escaped } from "../parts/escapes";
import { Tick } from "../parts/Tick";
import { Trouble } from "../parts/Trouble";
import { freeId } from "./commandDraft";

const Box = styled.div`
  display: grid;
  gap: 10px;
  textarea {
    font:
      600 13.5px/1.5 "Atkinson Hyperlegible Mono Variable",
      monospace;
    padding: 8px 12px;
    border: 1px solid var(--hairline);
    border-radius: var(--radius);
    background: var(--ground);
    resize: vertical;
  }
  ol {
    list-style: none;
    margin: 0;
    padding: 0;
  }
  li {
    padding: 8px 0;
    border-top: 1px solid var(--ruling);
    overflow-wrap: anywhere;
  }
  .source {
    color: var(--quiet);
    font-size: 13px;
    white-space: pre-wrap;
  }
  .row {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 2px 14px;
  }
  .sent {
    font-family: "Atkinson Hyperlegible Mono Variable", monospace;
    font-weight: 600;
  }
  ul {
    margin: 2px 0 0;
    padding-left: 18px;
    font-size: 13px;
    color: var(--quiet);
  }
  .doubt {
    color: var(--caution);
    font-weight: 600;
  }
`;

export interface CommandTableProps {
  instrumentKey: string;
  /** The ids that commands have already. */
  taken: readonly string[];
  onTake: (commands: InstrumentCommandPart[]) => void;
}

/** A command table from a manual: pasted, read line by line, and taken over as far as a person has checked it. */
export function CommandTable({ instrumentKey, taken, onTake }: CommandTableProps) {
  const [text, setText] = useState("");
  const [read, setRead] = useState<TableRead | null>(null);
  const [ticked, setTicked] = useState<ReadonlySet<number>>(new Set());
  const { run, trouble, busy } = useAct();
  const look = (): void =>
    run(async () => {
      const asked = { params: { path: { key: instrumentKey } }, body: { text } };
      setRead(await got(api.POST("/api/instruments/{key}/command-table", asked)));
      setTicked(new Set());
    });
  const take = (): void => {
    const ids = [...taken];
    const chosen = (read?.commands ?? []).filter((one) => ticked.has(one.line));
    onTake(
      chosen.map(({ part }) => {
        const id = freeId(part.id, ids);
        ids.push(id);
        return { ...part, id };
      }),
    );
  };
  const tick = (line: number, on: boolean): void => {
    const next = new Set(ticked);
    if (on) next.add(line);
    else next.delete(line);
    setTicked(next);
  };
  return (
    <Box role="group" aria-label="Command table">
      <textarea
        aria-label="Command table to paste"
        rows={6}
        placeholder={
          "TS <temp>   20 to 1250 °C   Set target temperature, returns OK\nTS?                         Read target temperature"
        }
        value={text}
        onChange={(event) => {
          setText(event.target.value);
          setRead(null);
        }}
      />
      <div>
        <Button $kind={read ? undefined : "bright"} isDisabled={!text.trim() || busy} onPress={look}>
          Read it
        </Button>
      </div>
      {trouble && <Trouble>{trouble}</Trouble>}
      {read && (
        <>
          <p>
            {read.commands.length
              ? "Compare each line with the manual, and tick it when it is right. What is not ticked is left."
              : "No line reads as a command: each begins with what is sent, apart from its description by a tab or two blanks."}
          </p>
          <ol>
            {read.commands.map((one) => (
              <li key={one.line}>
                <div className="source">
                  Line {one.line}: {one.source}
                </div>
                <div className="row">
                  <Tick on={ticked.has(one.line)} onChange={(on) => tick(one.line, on)}>
                    {one.part.name}
                  </Tick>
                  <span>
                    sends <span className="sent">{escaped(one.part.send)}</span>
                  </span>
                </div>
                <ul>
                  {one.evidence.map((words) => (
                    <li key={words} style={{ border: 0, padding: 0 }}>
                      {words}
                    </li>
                  ))}
                  {one.doubts.map((words) => (
                    <li key={words} className="doubt" style={{ border: 0, padding: 0 }}>
                      {words}
                    </li>
                  ))}
                </ul>
              </li>
            ))}
            {read.skipped.map((one) => (
              <li key={`skipped ${one.line}`}>
                <div className="source">
                  Line {one.line}: {one.source}
                </div>
                <div className={one.why.startsWith("This is the ") ? "source" : "doubt"}>{one.why}</div>
              </li>
            ))}
          </ol>
          {read.commands.length > 0 && (
            <div>
              <Button $kind="bright" isDisabled={ticked.size === 0} onPress={take}>
                {ticked.size === 1
                  ? "Take the one that is ticked"
                  : `Take the ${ticked.size} that are ticked`}
              </Button>
            </div>
          )}
        </>
      )}
    </Box>
  );
}
