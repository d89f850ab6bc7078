import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import styled from "styled-components";
import { api, got, type ProcedureStatus } from "../api/client";
import { useAct } from "../api/useAct";
import { clock, clockMilli, elapsed } from "../look/format";
import { benchNow } from "../look/zone";
import { Button } from "../parts/Button";
import { parsed } from "../parts/number";
import { Entry } from "../parts/Select";
import { Trouble } from "../parts/Trouble";
import { Cards } from "./Cards";

const Columns = styled.div`
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(280px, 380px);
  gap: 12px;
  align-items: start;
  @media (max-width: 980px) {
    grid-template-columns: minmax(0, 1fr);
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
  .question {
    border: 2px solid var(--action);
  }
  .question p {
    font-size: 19px;
    font-weight: 700;
    margin: 0 0 10px;
  }
  .answers {
    display: flex;
    flex-wrap: wrap;
    align-items: end;
    gap: 10px;
  }
`;

const Log = styled.ol`
  list-style: none;
  margin: 0;
  padding: 0;
  font-size: 13px;
  max-height: 50vh;
  overflow-y: auto;
  li {
    display: flex;
    gap: 10px;
    padding: 2px 0;
  }
  time {
    flex: none;
    color: var(--quiet);
    font-family: "Atkinson Hyperlegible Mono Variable", monospace;
  }
  .bad {
    color: var(--fault);
    font-weight: 600;
  }
`;

/** The procedure that is carried out, or the last one: its steps, what it waits for, what was done. */
export function Running({ status, by }: { status: ProcedureStatus; by: string }) {
  // The text does not come with every status.
  const whole = useQuery({
    queryKey: ["procedure", status.begun_at, status.state],
    queryFn: () => got(api.GET("/api/procedure")),
    staleTime: Infinity,
  });
  const text = whole.data?.text ?? "";
  const going = status.state !== "ended";
  return (
    <Columns>
      <Cards text={text} status={status} />
      <div>
        {status.question && <Question key={status.question.line} question={status.question} by={by} />}
        {going && !status.question && (
          <section aria-label="What it waits for">
            <h2>What it waits for</h2>
            <p style={{ fontWeight: 600 }}>{status.waits || "nothing"}</p>
            {status.progress && <p>{status.progress}</p>}
            {status.until != null && status.state !== "paused" && <Left until={status.until} />}
          </section>
        )}
        {!going && (
          <section
            aria-label="How it ended"
            style={status.failed ? { borderColor: "var(--fault)" } : undefined}
          >
            <h2>{status.failed ? "It was stopped" : "It is done"}</h2>
            <p style={{ fontWeight: 600, color: status.failed ? "var(--fault)" : undefined }}>{status.why}</p>
            {status.ended_at != null && <p>at {clock(status.ended_at / 1000)}</p>}
          </section>
        )}
        <section aria-label="What was done">
          <h2>What was done</h2>
          <Log tabIndex={0} aria-label="Log">
            {[...status.log].reverse().map((one, place) => (
              <li key={`${one.at} ${status.log.length - place}`} className={one.good ? "" : "bad"}>
                <time>{clockMilli(one.at / 1000)}</time>
                <span>{one.words}</span>
              </li>
            ))}
          </Log>
        </section>
      </div>
    </Columns>
  );
}

/** The time left; the status comes four times a second, and draws it anew. */
function Left({ until }: { until: number }) {
  const left = Math.max(0, until / 1000 - benchNow());
  return (
    <p>
      at most until {clock(until / 1000)}, another {elapsed(left)}
    </p>
  );
}

function Question({ question, by }: { question: NonNullable<ProcedureStatus["question"]>; by: string }) {
  const { run, trouble, busy } = useAct();
  const [text, setText] = useState("");
  const value = parsed(text);
  const answer = (value: boolean | number): void =>
    run(() => got(api.POST("/api/procedure/answer", { body: { line: question.line, value, by } })));
  return (
    <section className="question" role="alertdialog" aria-label="A question">
      <p>{question.text}</p>
      <div className="answers">
        {question.unit == null ? (
          <>
            <Button $kind="bright" isDisabled={busy} onPress={() => answer(true)}>
              Yes
            </Button>
            <Button isDisabled={busy} onPress={() => answer(false)}>
              No, stop here
            </Button>
          </>
        ) : (
          <>
            <Entry
              label={question.unit ? `Answer, ${question.unit}` : "Answer"}
              value={text}
              onChange={setText}
              invalid={text !== "" && value === null}
              inputMode="decimal"
              width={130}
            />
            <Button
              $kind="bright"
              isDisabled={busy || value === null}
              onPress={() => value !== null && answer(value)}
            >
              Answer
            </Button>
          </>
        )}
      </div>
      {trouble && <Trouble>{trouble}</Trouble>}
    </section>
  );
}
