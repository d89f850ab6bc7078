import { type KeyboardEvent, type PointerEvent, useId, useLayoutEffect, useRef, useState } from "react";
import styled from "styled-components";
import { dashes, mono, type Theme } from "../look/theme";
import { pathOf } from "../parts/Plot";
import { at, type Drawn, pieces } from "./curves";
import { figureOf, type Scale, scaleOf, tickWords } from "./scale";

const LEFT = 64;
const RIGHT = 16;
const TOP = 22;
const BOTTOM = 34;

const Figure = styled.figure`
  margin: 0;
  background: var(--panel);
  border: 1px solid var(--hairline);
  border-radius: var(--radius);
  padding: 6px 4px 2px;
  min-width: 0;
  svg {
    display: block;
    width: 100%;
    touch-action: none;
    cursor: crosshair;
  }
  text {
    font: 12px ${mono};
    fill: var(--quiet);
  }
  text.title {
    font: 600 13px sans-serif;
    fill: var(--ink);
  }
  .grid {
    stroke: var(--ruling);
  }
  .zero {
    stroke: var(--hairline);
  }
  .line {
    fill: none;
    stroke-width: 2;
  }
  .told {
    fill: none;
    stroke: var(--ink);
    stroke-width: 1.5;
    stroke-dasharray: 6 4;
  }
  .stretch {
    fill: var(--action);
    opacity: 0.1;
  }
  .cursor {
    stroke: var(--ink);
  }
`;

export interface Told {
  xs: readonly number[];
  ys: readonly number[];
}

export interface Stretch {
  begin: number;
  end: number;
}

/** One of the diagrams that stand below each other over the same axis. */
export interface Panel {
  title: string;
  logarithmic: boolean;
  lines: { key: string; xs: readonly (number | null)[]; ys: readonly (number | null)[]; ink: number }[];
  told?: readonly Told[];
}

export interface CurvePlotProps {
  theme: Theme;
  over: string;
  logarithmic: boolean;
  panels: readonly Panel[];
  cursor: number | null;
  onCursor: (x: number | null) => void;
  stretch: Stretch | null;
  onStretch: (stretch: Stretch | null) => void;
  height: number;
}

/** Curves over one axis, a diagram for each quantity. A click sets the cursor, a stretch is drawn with the pointer. */
export function CurvePlot(props: CurvePlotProps) {
  const { theme, over, logarithmic, panels, cursor, onCursor, stretch, onStretch, height } = props;
  const ref = useRef<SVGSVGElement>(null);
  const [width, setWidth] = useState(860);
  const [pressed, setPressed] = useState<number | null>(null);
  useLayoutEffect(() => {
    const element = ref.current;
    if (!element) return;
    const look = (): void => setWidth(Math.max(280, element.clientWidth || 860));
    look();
    const observer = new ResizeObserver(look);
    observer.observe(element);
    return () => observer.disconnect();
  }, []);
  const xs = panels.flatMap((panel) => panel.lines.flatMap((line) => line.xs));
  const across = scaleOf(
    xs,
    logarithmic,
    LEFT,
    width - RIGHT,
    Math.max(3, Math.floor(width / 90)),
    logarithmic ? 0 : 0.02,
  );
  const each = (height - BOTTOM) / Math.max(1, panels.length);
  const placeOf = (event: PointerEvent): number => {
    const box = ref.current?.getBoundingClientRect();
    const px = event.clientX - (box?.left ?? 0);
    return across.value(Math.min(width - RIGHT, Math.max(LEFT, px)));
  };
  const down = (event: PointerEvent): void => {
    ref.current?.setPointerCapture?.(event.pointerId);
    setPressed(placeOf(event));
  };
  const move = (event: PointerEvent): void => {
    if (pressed === null) return;
    const here = placeOf(event);
    if (Math.abs(across.place(here) - across.place(pressed)) > 6)
      onStretch({ begin: Math.min(pressed, here), end: Math.max(pressed, here) });
  };
  const up = (event: PointerEvent): void => {
    const here = placeOf(event);
    if (pressed !== null && Math.abs(across.place(here) - across.place(pressed)) <= 6) onCursor(here);
    setPressed(null);
  };
  const key = (event: KeyboardEvent): void => {
    const step = event.shiftKey ? 40 : 4;
    const by = event.key === "ArrowLeft" ? -step : event.key === "ArrowRight" ? step : 0;
    if (event.key === "Escape") return onCursor(null);
    if (!by) return;
    event.preventDefault();
    const from = cursor === null ? (LEFT + width - RIGHT) / 2 : across.place(cursor);
    onCursor(across.value(Math.min(width - RIGHT, Math.max(LEFT, from + by))));
  };
  return (
    <Figure>
      <svg
        ref={ref}
        height={height}
        viewBox={`0 0 ${width} ${height}`}
        role="slider"
        tabIndex={0}
        aria-label={`Cursor over ${over}`}
        aria-valuenow={cursor ?? across.low}
        aria-valuemin={across.low}
        aria-valuemax={across.high}
        aria-valuetext={cursor === null ? "no cursor" : figureOf(cursor)}
        onPointerDown={down}
        onPointerMove={move}
        onPointerUp={up}
        onKeyDown={key}
      >
        {panels.map((panel, n) => (
          <One
            key={panel.title}
            panel={panel}
            theme={theme}
            across={across}
            top={n * each + TOP}
            bottom={(n + 1) * each}
            width={width}
            stretch={stretch}
          />
        ))}
        {across.ticks.map((one) => (
          <text key={one} x={across.place(one)} y={height - BOTTOM + 16} textAnchor="middle">
            {tickWords(one)}
          </text>
        ))}
        <text className="title" x={width - RIGHT} y={height - 4} textAnchor="end">
          {over}
        </text>
        {cursor !== null && (
          <line
            className="cursor"
            x1={across.place(cursor)}
            x2={across.place(cursor)}
            y1={TOP}
            y2={height - BOTTOM}
          />
        )}
      </svg>
    </Figure>
  );
}

interface OneProps {
  panel: Panel;
  theme: Theme;
  across: Scale;
  top: number;
  bottom: number;
  width: number;
  stretch: Stretch | null;
}

function One({ panel, theme, across, top, bottom, width, stretch }: OneProps) {
  const within = useId();
  const values = panel.lines.flatMap((line) => line.ys);
  const up = scaleOf(
    values,
    panel.logarithmic,
    bottom,
    top,
    Math.max(2, Math.floor((bottom - top) / 34)),
    0.06,
  );
  return (
    <g>
      <clipPath id={within}>
        <rect x={LEFT} y={top} width={Math.max(0, width - RIGHT - LEFT)} height={Math.max(0, bottom - top)} />
      </clipPath>
      {across.ticks.map((one) => (
        <line key={one} className="grid" x1={across.place(one)} x2={across.place(one)} y1={top} y2={bottom} />
      ))}
      {up.ticks.map((one) => (
        <g key={one}>
          <line
            className={one === 0 ? "zero" : "grid"}
            x1={LEFT}
            x2={width - RIGHT}
            y1={up.place(one)}
            y2={up.place(one)}
          />
          <text x={LEFT - 8} y={up.place(one) + 4} textAnchor="end">
            {tickWords(one)}
          </text>
        </g>
      ))}
      {stretch && (
        <rect
          className="stretch"
          x={across.place(stretch.begin)}
          width={Math.max(0, across.place(stretch.end) - across.place(stretch.begin))}
          y={top}
          height={bottom - top}
        />
      )}
      <g clipPath={`url(#${within})`}>
        {panel.lines.map((line) =>
          pieces(line.xs, line.ys, across.place, up.place, [across.logarithmic, panel.logarithmic]).map(
            (piece, n) =>
              piece.length === 1 && piece[0] ? (
                <circle
                  key={`${line.key} ${n}`}
                  cx={piece[0][0]}
                  cy={piece[0][1]}
                  r={2.5}
                  fill={theme.inks[line.ink % theme.inks.length]}
                />
              ) : (
                <path
                  key={`${line.key} ${n}`}
                  className="line"
                  d={pathOf(piece)}
                  stroke={theme.inks[line.ink % theme.inks.length]}
                  strokeDasharray={(dashes[line.ink % dashes.length] ?? []).join(" ")}
                />
              ),
          ),
        )}
        {panel.told?.map((line, n) => (
          <path
            key={n}
            className="told"
            d={pieces(line.xs, line.ys, across.place, up.place, [across.logarithmic, panel.logarithmic])
              .map(pathOf)
              .join("")}
          />
        ))}
      </g>
      <text className="title" x={LEFT} y={top - 7}>
        {panel.title}
      </text>
    </g>
  );
}

/** What stands at the cursor, for every curve and quantity. */
export function atCursor(
  drawn: readonly Drawn[],
  cursor: number | null,
  logarithmic: boolean,
): { title: string; x: number; values: (number | null)[] }[] {
  if (cursor === null) return [];
  return drawn.flatMap(({ title, found }) => {
    const first = at(found, 1, cursor, logarithmic);
    if (!first) return [];
    const values = found.about.columns
      .slice(1)
      .map((_, n) => at(found, n + 1, first.x, logarithmic)?.y ?? null);
    return [{ title, x: first.x, values }];
  });
}
