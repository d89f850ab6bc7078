import { useState } from "react";
import styled from "styled-components";
import { useAct } from "../api/useAct";
import { figureOf, withUncertainty } from "../curves/scale";
import { count, dated, figure, clockMilli, length, moment } from "../look/format";
import { Chip } from "../parts/Button";
import { pathOf, Plot, plotLooks, rangeOf } from "../parts/Plot";
import { Trouble } from "../parts/Window";
import { type Answer, type Asked, KINDS } from "./questions";

const Card = styled.article`
  border: 1px solid var(--hairline);
  border-radius: var(--radius);
  padding: 8px 12px 10px;
  display: grid;
  gap: 6px;
  align-content: start;
  min-width: 0;
  header {
    display: flex;
    gap: 8px;
    align-items: start;
    flex-wrap: nowrap;
  }
  h3 {
    flex: 1;
    font-size: 14px;
    overflow-wrap: anywhere;
  }
  dl {
    display: grid;
    grid-template-columns: minmax(0, max-content) minmax(0, 1fr);
    gap: 2px 14px;
    font-size: 13.5px;
  }
  dt {
    color: var(--quiet);
  }
  dd {
    margin: 0;
    font-weight: 600;
    font-variant-numeric: tabular-nums;
  }
  dd button {
    border: 0;
    background: none;
    padding: 0 0 0 8px;
    font: inherit;
    font-weight: 400;
    color: var(--action);
    cursor: pointer;
    min-height: 24px;
  }
  p {
    color: var(--quiet);
    font-size: 12.5px;
    overflow-wrap: anywhere;
  }
`;

const Figure = styled.figure`
  ${plotLooks}
  .bar {
    fill: var(--action);
    opacity: 0.75;
  }
  .dot {
    fill: var(--action);
    opacity: 0.5;
  }
  .curve {
    fill: none;
    stroke: var(--action);
    stroke-width: 1.4;
  }
  .through {
    fill: none;
    stroke: var(--ink);
    stroke-width: 1.6;
    stroke-dasharray: 6 4;
  }
`;

export interface AnswerCardProps {
  one: Asked;
  /** None where it cannot be kept. */
  onKeep?: ((by: string, note: string) => Promise<void>) | undefined;
  onForget?: (() => Promise<void>) | undefined;
  onShow: (at: number) => void;
}

/** One answer: its line, its figures, how it was found, and what it is drawn as. */
export function AnswerCard({ one, onKeep, onForget, onShow }: AnswerCardProps) {
  const { answer, question, kept } = one;
  const [method, setMethod] = useState(false);
  const act = useAct();
  const words = question ? (KINDS.find(({ kind }) => kind === question.kind)?.words ?? question.kind) : "compared";
  return (
    <Card aria-label={`Answer: ${answer.words}`}>
      <header>
        <h3>{answer.words}</h3>
        {kept === null && onKeep && (
          <Chip onPress={() => act.run(() => onKeep("", ""))} isDisabled={act.busy}>
            Keep
          </Chip>
        )}
        {onForget && (
          <Chip onPress={() => act.run(onForget)} isDisabled={act.busy}>
            {kept === null ? "Take away" : "Take out"}
          </Chip>
        )}
      </header>
      {act.trouble && <Trouble>{act.trouble}</Trouble>}
      {answer.plot && <Drawn plot={answer.plot} />}
      <dl>
        {answer.results.map((result) => (
          <Line key={result.name} result={result} onShow={onShow} />
        ))}
      </dl>
      <p>
        {words.replace(" …", "")}, {moment(answer.start / 1000)} to {moment(answer.end / 1000)} (
        {length((answer.end - answer.start) / 1000)}): {count(answer.samples)} samples
        {answer.left_out > 0 && `, ${count(answer.left_out)} not measured`}
        {kept !== null && `. Kept with the run, number ${kept}`}.{" "}
        <button
          type="button"
          style={{ border: 0, background: "none", padding: 0, font: "inherit", color: "var(--action)", cursor: "pointer", minHeight: 24 }}
          aria-expanded={method}
          onClick={() => setMethod(!method)}
        >
          {method ? "Less" : "How it was found"}
        </button>
      </p>
      {method && <p>{answer.method}</p>}
    </Card>
  );
} // prettier-ignore

function Line({ result, onShow }: { result: Answer["results"][number]; onShow: (at: number) => void }) {
  const { name, value, unit, uncertainty, at, decimals } = result;
  const number =
    uncertainty != null
      ? withUncertainty(value, uncertainty)
      : decimals == null
        ? figureOf(value)
        : figure(value, decimals);
  return (
    <>
      <dt>{name}</dt>
      <dd>
        {number}
        {unit && ` ${unit}`}
        {at != null && (
          <button type="button" onClick={() => onShow(at / 1000)}>
            at {dated(at / 1000, clockMilli(at / 1000))}
          </button>
        )}
      </dd>
    </>
  );
}

/** The parts of a line that is broken where there is no value. */
function unbroken(xs: readonly number[], ys: readonly (number | null)[]): [number, number][][] {
  const parts: [number, number][][] = [[]];
  xs.forEach((x, n) => {
    const y = ys[n];
    if (y == null) parts.push([]);
    else parts.at(-1)?.push([x, y]);
  });
  return parts.filter((part) => part.length > 0);
}

function Drawn({ plot }: { plot: NonNullable<Answer["plot"]> }) {
  const { kind, xs, ys, over, over_unit, quantity, unit, line_xs = [], line_ys = [] } = plot;
  const bars = kind === "bars";
  const measured = ys.filter((one): one is number => one !== null);
  const wide = bars && xs.length > 1 ? (xs[1] ?? 0) - (xs[0] ?? 0) : 0;
  const x: [number, number] = bars
    ? [(xs[0] ?? 0) - wide / 2, (xs.at(-1) ?? 1) + wide / 2]
    : rangeOf(xs);
  const y: [number, number] = bars ? [0, Math.max(...measured) * 1.08] : rangeOf(measured);
  const named = (name: string, of: string): string => name + (of ? `, ${of}` : "");
  return (
    <Figure>
      <Plot label={`${quantity} over ${over}`} x={x} y={y} over={named(over, over_unit)} up={named(quantity, unit)} zero>
        {(px, py) => (
          <>
            {bars &&
              xs.map((at, n) => (
                <rect
                  key={at}
                  className="bar"
                  x={px(at - wide / 2) + 0.4}
                  y={py(ys[n] ?? 0)}
                  width={Math.max(0.5, px(at + wide / 2) - px(at - wide / 2) - 0.8)}
                  height={Math.max(0, py(0) - py(ys[n] ?? 0))}
                />
              ))}
            {kind === "dots" &&
              xs.map((at, n) => <circle key={n} className="dot" cx={px(at)} cy={py(ys[n] ?? 0)} r={1.8} />)}
            {kind === "line" && <path className="curve" d={unbroken(xs, ys).map((part) => pathOf(part.map(([at, one]) => [px(at), py(one)]))).join("")} />}
            {line_xs.length > 0 && (
              <path className="through" d={pathOf(line_xs.map((at, n) => [px(at), py(line_ys[n] ?? 0)]))} />
            )}
          </>
        )}
      </Plot>
    </Figure>
  );
} // prettier-ignore
