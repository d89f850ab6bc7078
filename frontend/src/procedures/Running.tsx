import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import styled from "styled-components";
import { api, got, type ProcedureStatus } from "../api/client";
import { useAct } from "../api/useAct";
import { clock, clockMilli, elapsed } from "../look/format";
import type { Theme } from "../look/theme";
import { benchNow } from "../look/zone";
import { Button } from "../parts/Button";
import { parsed } from "../parts/number";
import { Entry } from "../parts/Select";
import { Trouble } from "../parts/Trouble";
import { Cards } from "./Cards";
import { PictureEntry } from "./PictureEntry";
import { WaitedTrend } from "./WaitedTrend";

const Columns = styled.div`
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(280px, 380px);
  gap: 12px;
  align-items: start;
  @media (max-width: 980px) {
    grid-template-columns: minmax(0, 1fr);
    /* What is asked, and what it waits for, is in sight on a phone, however many steps there are. */
    > :last-child {
      order: -1;
    }
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
export function Running({ status, by, theme }: { status: ProcedureStatus; by: string; theme: Theme }) {
  // The text does not come with every status.
  const whole = useQuery({
    queryKey: ["procedure", status.id, status.state],
    queryFn: () => got(api.GET("/api/procedure/{id}", { params: { path: { id: status.id } } })),
    staleTime: Infinity,
  });
  const text = whole.data?.text ?? "";
  const going = status.state !== "ended";
  // It stays where the next step looks at nothing: the cards below it do not jump.
  const [looked, setLooked] = useState(status.channels);
  if (status.channels.length > 0 && status.channels.join(" ") !== looked.join(" "))
    setLooked(status.channels);
  return (
    <Columns>
      <div>
        {going && <WaitedTrend ids={looked} theme={theme} />}
        <Cards text={text} status={status} called={whole.data?.called} />
      </div>
      <div>
        {status.question && (
          <Question key={status.question.number} id={status.id} question={status.question} by={by} />
        )}
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

interface QuestionProps {
  id: number;
  question: NonNullable<ProcedureStatus["question"]>;
  by: string;
}

function Question({ id, question, by }: QuestionProps) {
  const { run, trouble, busy } = useAct();
  const [text, setText] = useState("");
  const answer = (value: boolean | number | string): void =>
    run(() => got(api.POST("/api/procedure/answer", { body: { id, question: question.number, value, by } })));
  const send = (picture: File): void =>
    run(() =>
      got(
        api.POST("/api/procedure/picture", {
          params: { query: { id, question: question.number, by } },
          headers: { "content-type": "application/octet-stream" },
          body: picture as unknown as string, // the schema knows no bytes
          bodySerializer: (body) => body as unknown as BodyInit,
        }),
      ),
    );
  const value = question.answer === "text" ? text.trim() || null : parsed(text);
  return (
    <section className="question" role="alertdialog" aria-label="A question">
      <p>{question.text}</p>
      {question.answer === "yes or no" ? (
        <div className="answers">
          <Button $kind="bright" isDisabled={busy} onPress={() => answer(true)}>
            Yes
          </Button>
          <Button isDisabled={busy} onPress={() => answer(false)}>
            No, stop here
          </Button>
        </div>
      ) : question.answer === "picture" ? (
        <div className="answers">
          <PictureEntry isDisabled={busy} onPicture={send} />
          <Button isDisabled={busy} onPress={() => answer(false)}>
            Go on without one
          </Button>
        </div>
      ) : (
        <form
          className="answers"
          onSubmit={(event) => {
            event.preventDefault();
            if (value !== null && !busy) answer(value);
          }}
        >
          <Entry
            label={question.unit ? `Answer, ${question.unit}` : "Answer"}
            value={text}
            onChange={setText}
            invalid={text !== "" && value === null}
            inputMode={question.answer === "text" ? undefined : "decimal"}
            width={question.answer === "text" ? 220 : 130}
          />
          <Button type="submit" $kind="bright" isDisabled={busy || value === null}>
            Answer
          </Button>
        </form>
      )}
      {trouble && <Trouble>{trouble}</Trouble>}
    </section>
  );
}
