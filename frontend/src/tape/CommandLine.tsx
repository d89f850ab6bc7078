import { useState } from "react";
import styled from "styled-components";
import { api, got, type Instrument, type Schemas } from "../api/client";
import { useAct } from "../api/useAct";
import { mono } from "../look/theme";
import { Button, Chip } from "../parts/Button";
import { ControlText } from "../parts/ControlText";
import { Choice } from "../parts/Choice";
import { endName, ENDS, fromHex, unescaped } from "../parts/escapes";

const Frame = styled.form`
  display: grid;
  gap: 6px;
  border-top: 1px solid var(--hairline);
  padding-top: 8px;
  .row {
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
    align-items: center;
  }
  input {
    flex: 1;
    min-width: 110px;
    min-height: 34px;
    padding: 4px 9px;
    border: 1px solid var(--hairline);
    border-radius: var(--radius);
    background: var(--panel);
    font: 600 13.5px/1 ${mono};
  }
  .answer {
    font: 13px/19px ${mono};
    max-height: 120px;
    overflow: auto;
    margin: 0;
    padding: 0;
    list-style: none;
  }
  .said {
    color: var(--quiet);
    font-size: 12.5px;
  }
  .trouble {
    color: var(--fault);
    font-size: 13px;
  }
`;

const KEPT = "tidybench-commands-";
const MAX_KEPT = 50;
const OWN = "own";

const historyOf = (id: string): string[] => {
  try {
    const found: unknown = JSON.parse(localStorage.getItem(KEPT + id) ?? "[]");
    return Array.isArray(found) ? found.filter((one): one is string => typeof one === "string") : [];
  } catch {
    return [];
  }
};

/** A line to type a command; its answer comes whole, and stands on the tape like everything else. */
export function CommandLine({ instrument }: { instrument: Instrument }) {
  const [text, setText] = useState("");
  const [end, setEnd] = useState(OWN);
  const [inHex, setInHex] = useState(false);
  const [history, setHistory] = useState(() => historyOf(instrument.id));
  const [place, setPlace] = useState(-1);
  const [answer, setAnswer] = useState<{ sent: string; came: Schemas["CommandStatus"] } | null>(null);
  const { run, trouble, busy } = useAct();

  const send = (): void =>
    run(async () => {
      const bytes = inHex ? fromHex(text) : unescaped(text) + (end === OWN ? instrument.sends_end : end);
      if (!bytes) throw new Error("Type a command first.");
      const kept = [text, ...history.filter((one) => one !== text)].slice(0, MAX_KEPT);
      setHistory(kept);
      localStorage.setItem(KEPT + instrument.id, JSON.stringify(kept));
      setPlace(-1);
      setText("");
      const came = await got(
        api.POST("/api/instruments/{key}/command", {
          params: { path: { key: instrument.id } },
          body: { data: bytes, wait_ms: 800 },
        }),
      );
      setAnswer({ sent: text, came });
    });
  const go = (step: number): void => {
    const next = Math.max(-1, Math.min(history.length - 1, place + step));
    setPlace(next);
    setText(history[next] ?? "");
  };
  const lines = answer?.came.lines ?? [];
  return (
    <Frame
      aria-label="Send a command"
      onSubmit={(event) => {
        event.preventDefault();
        send();
      }}
    >
      {trouble && (
        <p className="trouble" role="alert">
          {trouble}
        </p>
      )}
      {answer && !trouble && (
        <div role="status">
          <span className="said">
            {lines.length
              ? `Answer to ${answer.sent}${lines.length > 1 ? `, ${lines.length} lines` : ""}:`
              : `No answer to ${answer.sent}. Not every command has one.`}
          </span>
          {lines.length > 0 && (
            <ol className="answer" data-testid="answer">
              {lines.map((line, index) => (
                <li key={index}>
                  <ControlText text={line} />
                </li>
              ))}
            </ol>
          )}
        </div>
      )}
      <div className="row">
        <input
          aria-label={inHex ? "Command, as hexadecimal bytes" : "Command"}
          placeholder={inHex ? "46 4C 3F 0D" : "type a command"}
          value={text}
          spellCheck={false}
          autoComplete="off"
          onChange={(event) => setText(event.target.value)}
          onKeyDown={(event) => {
            if (event.key !== "ArrowUp" && event.key !== "ArrowDown") return;
            event.preventDefault();
            go(event.key === "ArrowUp" ? 1 : -1);
          }}
        />
        {!inHex && (
          <Choice
            label="Its end"
            width={92}
            value={end}
            options={[
              { value: OWN, text: `+ ${endName(instrument.sends_end)}` },
              ...ENDS.filter((one) => one.value !== instrument.sends_end).map((one) => ({
                value: one.value,
                text: `+ ${one.text}`,
              })),
            ]}
            onChange={setEnd}
          />
        )}
        <Chip $chosen={inHex} aria-pressed={inHex} onPress={() => setInHex(!inHex)}>
          hex
        </Chip>
        <Button type="submit" isDisabled={busy || !text} style={{ minHeight: 34, padding: "0 12px" }}>
          {busy ? "Waiting …" : "Send"}
        </Button>
      </div>
    </Frame>
  );
}
