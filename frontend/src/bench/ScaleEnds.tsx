import { type ReactNode, useState } from "react";
import styled, { css } from "styled-components";
import { figure } from "../look/format";
import { parsed } from "../parts/number";
import { mono } from "../look/theme";
import { isStates, type LaneSpec } from "./lanes";

const Column = styled.div<{ $close?: boolean }>`
  display: flex;
  flex-direction: column;
  justify-content: space-between;
  padding: 3px 4px 3px 6px;
  overflow: hidden;
  min-width: 0;
  button.end,
  input {
    font: 12px/1 ${mono};
    color: var(--quiet);
    text-align: right;
    border: 0;
    background: none;
    padding: 2px;
    width: 100%;
    border-radius: 4px;
  }
  button.end:not(:disabled) {
    cursor: text;
  }
  button.end:not(:disabled):hover {
    background: var(--chosen);
  }
  button.end[data-fixed="true"] {
    color: var(--ink);
    font-weight: 700;
    text-decoration: underline dotted;
  }
  input {
    background: var(--panel);
    color: var(--ink);
    outline: 2px solid var(--action);
  }
  b {
    font-size: 13px;
    white-space: nowrap;
  }
  /* Too low for three lines: the name stands beside its ends. */
  ${({ $close }) =>
    $close &&
    css`
      display: grid;
      grid-template: 1fr 1fr / auto minmax(0, 1fr);
      align-items: center;
      padding: 1px 2px 1px 4px;
      > :nth-child(2) {
        grid-area: 1 / 1 / 3 / 2;
        font-size: 12px;
        padding: 6px 0;
        max-width: 34px;
      }
      > .end,
      > input {
        grid-column: 2;
        font-size: 11px;
        padding: 0;
        min-height: 17px;
      }
    `}
`;

export interface ScaleEndsProps {
  lane: LaneSpec;
  scale: [number, number];
  head?: ReactNode;
  /** Too low for three lines. */
  close?: boolean;
  onScale?: ((scale: [number, number] | null) => void) | undefined;
}

/** A lane's scale: its ends can be typed, its unit stands between them. */
export function ScaleEnds({ lane, scale, head, close = false, onScale }: ScaleEndsProps) {
  const [typed, setTyped] = useState<{ end: 0 | 1; text: string } | null>(null);
  const step = (scale[1] - scale[0]) / 4;
  const places = Math.max(0, Math.min(6, -Math.floor(Math.log10(lane.log ? scale[0] : step || 1))));
  const keep = (): void => {
    if (!typed) return;
    const value = parsed(typed.text);
    if (value === null) {
      if (typed.text.trim() === "") onScale?.(null);
      return setTyped(null);
    }
    const next: [number, number] = typed.end ? [scale[0], value] : [value, scale[1]];
    if (next[0] < next[1] && (!lane.log || next[0] > 0)) onScale?.(next);
    setTyped(null);
  };
  const end = (which: 0 | 1): ReactNode => {
    const words = places > 4 ? scale[which].toExponential(1) : figure(scale[which], places);
    const name = `${which ? "upper" : "lower"} end of the scale of ${lane.unit || "this lane"}`;
    if (typed?.end === which)
      return (
        <input
          autoFocus
          aria-label={name}
          value={typed.text}
          onChange={(event) => setTyped({ end: which, text: event.target.value })}
          onBlur={keep}
          onKeyDown={(event) => {
            if (event.key === "Enter") keep();
            if (event.key === "Escape") setTyped(null);
          }}
        />
      );
    return (
      <button
        type="button"
        className="end"
        data-fixed={lane.scale !== null}
        disabled={!onScale}
        aria-label={`${name}: ${words}${lane.scale ? ", fixed" : ""}`}
        title={lane.scale ? "fixed; empty it for an automatic scale" : "type another end to fix the scale"}
        onClick={() => setTyped({ end: which, text: words.replace("−", "-") })}
      >
        {words}
      </button>
    );
  };
  if (isStates(lane)) return <Column style={{ justifyContent: "center" }}>{head}</Column>;
  return (
    <Column $close={close}>
      {end(1)}
      {head ?? <b title={lane.unit}>{lane.unit || "–"}</b>}
      {end(0)}
    </Column>
  );
}
