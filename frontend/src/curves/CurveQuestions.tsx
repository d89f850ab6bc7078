import { useState } from "react";
import styled from "styled-components";
import { api, got } from "../api/client";
import { useAct } from "../api/useAct";
import { Button, Chip } from "../parts/Button";
import { NumberEntry } from "../parts/NumberEntry";
import { Fields, Select } from "../parts/Select";
import { Trouble } from "../parts/Trouble";
import type { Stretch } from "./CurvePlot";
import type { Answered, CurveColumn, Drawn, Question } from "./curves";
import { figureOf, withUncertainty } from "./scale";

const Ask = styled.section`
  background: var(--panel);
  border: 1px solid var(--hairline);
  border-radius: var(--radius);
  padding: 10px 14px;
  margin-top: 12px;
  h2 {
    font-size: 15px;
    margin-bottom: 6px;
  }
  .ask {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    margin: 10px 0 4px;
  }
  article {
    border-top: 1px solid var(--ruling);
    padding: 8px 0;
  }
  article header {
    display: flex;
    gap: 10px;
    align-items: baseline;
    justify-content: space-between;
  }
  dl {
    display: grid;
    grid-template-columns: max-content minmax(0, 1fr);
    gap: 2px 14px;
    margin: 4px 0;
  }
  dt {
    color: var(--quiet);
  }
  dd {
    margin: 0;
    font-weight: 600;
    font-variant-numeric: tabular-nums;
  }
  p {
    margin: 2px 0;
    color: var(--quiet);
    font-size: 13px;
    max-width: 90ch;
  }
`;

/** What was found, with a line for the diagram of the quantity that is called `title`. `alone`: a diagram of its own. */
export interface Shown {
  id: number;
  title: string;
  of: string;
  answer: Answered | null;
  xs: readonly number[];
  ys: readonly number[];
  alone: boolean;
}

const QUESTIONS: { question: Question; words: string }[] = [
  { question: "corner", words: "−3 dB corner" },
  { question: "slope", words: "Slope" },
  { question: "resonance", words: "Resonance" },
  { question: "first order", words: "Fit first order" },
  { question: "second order", words: "Fit second order" },
];

let count = 0;

/** Whether a curve is over time: then its spectrum can be asked for, and no corner. */
export const isOverTime = (unit: string): boolean => ["s", "ms", "µs", "us", "min", "h"].includes(unit);

export interface CurveQuestionsProps {
  drawn: readonly Drawn[];
  onSpectrum: (of: Drawn, place: number, quantity: string) => Promise<void>;
  stretch: Stretch | null;
  onStretch: (stretch: Stretch | null) => void;
  told: readonly Shown[];
  onTold: (told: readonly Shown[]) => void;
  titled: (column: CurveColumn) => string;
}

/** What can be asked of a curve, and what was found. */
export function CurveQuestions({
  drawn,
  onSpectrum,
  stretch,
  onStretch,
  told,
  onTold,
  titled,
}: CurveQuestionsProps) {
  const [chosen, setChosen] = useState({ curve: "", quantity: "", less: "" });
  const act = useAct();
  const one = drawn.find(({ key }) => key === chosen.curve) ?? drawn[0];
  if (!one) return null;
  const columns = one.found.about.columns;
  const place = Math.max(
    1,
    columns.findIndex((column, n) => n > 0 && titled(column) === chosen.quantity),
  );
  const quantity = columns[place];
  if (!quantity) return null;
  const unit = columns[0]?.unit ? `, ${columns[0].unit}` : "";
  const overTime = isOverTime(columns[0]?.unit ?? "");
  const others = drawn.filter(({ key }) => key !== one.key);
  const less = others.find(({ key }) => key === chosen.less) ?? others[0];
  const add = (shown: Omit<Shown, "id">): void => onTold([{ ...shown, id: ++count }, ...told].slice(0, 6));
  const ask = (question: Question): void =>
    act.run(async () => {
      const answer = await got(
        api.POST("/api/curves/answer", {
          body: {
            of: one.ref,
            quantity: place,
            question,
            begin: stretch?.begin ?? null,
            end: stretch?.end ?? null,
          },
        }),
      );
      add({ title: titled(quantity), of: one.title, answer, xs: answer.xs, ys: answer.ys, alone: false });
    });
  const subtract = (): void =>
    act.run(async () => {
      if (!less) return;
      const found = await got(
        api.POST("/api/curves/difference", { body: { of: one.ref, less: less.ref, quantity: place } }),
      );
      const words = `${quantity.name}: ${one.title} less ${less.title}${quantity.unit ? `, ${quantity.unit}` : ""}`;
      add({ title: words, of: "", answer: null, xs: found.xs, ys: found.ys, alone: true });
    });
  return (
    <Ask aria-label="Questions">
      <h2>Ask</h2>
      <Fields>
        {drawn.length > 1 && (
          <Select
            label="Curve"
            value={one.key}
            options={drawn.map(({ key, title }) => ({ value: key, text: title }))}
            onChange={(curve) => setChosen({ ...chosen, curve })}
            width={260}
          />
        )}
        <Select
          label="Quantity"
          value={titled(quantity)}
          options={columns.slice(1).map(titled)}
          onChange={(next) => setChosen({ ...chosen, quantity: next })}
          width={150}
        />
        {!overTime && (
          <>
            <NumberEntry
              label={`From${unit}`}
              value={stretch ? Number(stretch.begin.toPrecision(5)) : null}
              onValue={(begin) =>
                onStretch(
                  begin === null ? null : { begin, end: stretch?.end ?? Math.max(begin, lastOf(one)) },
                )
              }
              width={110}
              empty
              placeholder="all"
            />
            <NumberEntry
              label={`To${unit}`}
              value={stretch ? Number(stretch.end.toPrecision(5)) : null}
              onValue={(end) =>
                onStretch(end === null ? null : { begin: stretch?.begin ?? Math.min(end, firstOf(one)), end })
              }
              width={110}
              empty
              placeholder="all"
            />
          </>
        )}
      </Fields>
      <div className="ask">
        {overTime && (
          <Button
            onPress={() => act.run(() => onSpectrum(one, place, titled(quantity)))}
            isDisabled={act.busy}
          >
            Spectrum
          </Button>
        )}
        {(overTime ? [] : QUESTIONS).map(({ question, words }) => (
          <Button key={question} onPress={() => ask(question)} isDisabled={act.busy}>
            {words}
          </Button>
        ))}
      </div>
      {!overTime && <p>From and to are the passband for a corner, and the stretch for everything else.</p>}
      {less && (
        <Fields>
          <Select
            label="Less"
            value={less.key}
            options={others.map(({ key, title }) => ({ value: key, text: title }))}
            onChange={(next) => setChosen({ ...chosen, less: next })}
            width={260}
          />
          <Button onPress={subtract} isDisabled={act.busy} style={{ alignSelf: "end" }}>
            Difference
          </Button>
        </Fields>
      )}
      {act.trouble && <Trouble>{act.trouble}</Trouble>}
      {told.map((shown) => (
        <article
          key={shown.id}
          aria-label={shown.answer ? `${shown.answer.question} of ${shown.of}` : shown.title}
        >
          <header>
            <b>{shown.answer ? `${shown.title} of ${shown.of}` : shown.title}</b>
            <Chip onPress={() => onTold(told.filter(({ id }) => id !== shown.id))}>Take away</Chip>
          </header>
          {shown.answer && (
            <>
              <dl>
                {shown.answer.results.map((result) => (
                  <Fragmented key={result.name} result={result} />
                ))}
              </dl>
              <p>{shown.answer.method}</p>
            </>
          )}
        </article>
      ))}
    </Ask>
  );
}

function Fragmented({ result }: { result: Answered["results"][number] }) {
  const { name, value, unit, uncertainty } = result;
  return (
    <>
      <dt>{name}</dt>
      <dd>
        {uncertainty === null ? figureOf(value) : withUncertainty(value, uncertainty)}
        {unit && ` ${unit}`}
        {uncertainty === null && name === "Quality factor" && " (how uncertain is not known)"}
      </dd>
    </>
  );
}

const measured = ({ found }: Drawn): number[] =>
  (found.values[0] ?? []).filter((one): one is number => one != null);
const firstOf = (one: Drawn): number => measured(one).reduce((low, value) => Math.min(low, value), Infinity);
const lastOf = (one: Drawn): number =>
  measured(one).reduce((high, value) => Math.max(high, value), -Infinity);
