import { useEffect, useLayoutEffect, useRef, useState } from "react";
import styled from "styled-components";
import uPlot from "uplot";
import { clock, figure, qualityWords } from "../look/format";
import { dashes, mono, type Theme } from "../look/theme";
import { column, extremes, type Grid, grid, scaleFor } from "../live/pixels";
import type { Samples } from "../live/samples";
import { type LaneSpec, patienceOf } from "./lanes";
import { PenEnd } from "./PenEnd";

export interface LaneMark {
  at: number;
  text: string;
}

export interface LaneView {
  start: number;
  end: number;
}

export interface LaneProps {
  lane: LaneSpec;
  samples: Samples;
  /** The stretch of time to show, asked at every draw. */
  view: () => LaneView;
  marks: LaneMark[];
  first: boolean;
  theme: Theme;
  /** Registers the draw function with whoever keeps the rhythm. */
  register: (draw: () => void) => () => void;
  /** "now": the pen end shows the newest value; "mean": the mean of the view. */
  shows: "now" | "mean";
  height: number;
}

const Row = styled.div`
  display: grid;
  grid-template-columns: 60px minmax(0, 1fr) 254px;
  border-bottom: 1px solid var(--hairline);
  min-height: 0;
  @media (max-width: 719px) {
    grid-template-columns: minmax(0, 1fr);
    > :not(:last-child) {
      display: none;
    }
  }
`;

const ScaleColumn = styled.div`
  display: flex;
  flex-direction: column;
  justify-content: space-between;
  padding: 6px 6px 6px 9px;
  overflow: hidden;
  span {
    font: 12px/1 ${mono};
    color: var(--quiet);
    text-align: right;
  }
  b {
    font-size: 13px;
    white-space: nowrap;
  }
`;

const Plot = styled.div`
  position: relative;
  min-width: 0;
  overflow: hidden;
`;

/** One lane: scale, pen line, limit rail, digits. */
export function Lane({ lane, samples, view, marks, first, theme, register, shows, height }: LaneProps) {
  const holder = useRef<HTMLDivElement>(null);
  const [scale, setScale] = useState<[number, number]>([0, 1]);
  const scaleRef = useRef<[number, number] | null>(null);
  const marksRef = useRef(marks);
  useEffect(() => {
    marksRef.current = marks;
  }, [marks]);
  const pens = useRef<((view: LaneView, scale: [number, number]) => void) | null>(null);

  useLayoutEffect(() => {
    const element = holder.current;
    if (!element) return;
    let shown: Grid | null = null;
    // Twenty of the last digit shown: finer than that is noise to whoever reads the digits.
    const least = 20 * 10 ** -Math.min(...lane.channels.map((channel) => channel.decimals));
    const inks = lane.channels.map((channel) => theme.inks[channel.ink] ?? theme.ink);
    const chart = new uPlot(
      {
        width: Math.max(element.clientWidth, 10),
        height,
        legend: { show: false },
        cursor: { show: false },
        padding: [0, 0, 0, 0],
        scales: {
          x: { time: false, range: () => [view().start, view().end] },
          y: { range: () => scaleRef.current ?? [0, 1] },
        },
        axes: [{ show: false }, { show: false }],
        series: [
          {},
          ...lane.channels.map((channel, index) => ({
            stroke: inks[index],
            width: 1.8,
            dash: dashes[channel.dash],
            points: { show: false },
            spanGaps: false,
          })),
        ],
        hooks: {
          drawClear: [(u: uPlot) => ruling(u, theme)],
          draw: [
            (u: uPlot) => {
              breaks(u, lane, samples, inks, theme);
              markLines(u, marksRef.current, first, theme);
            },
          ],
        },
      },
      [[0], ...lane.channels.map(() => [null])],
      element,
    );
    const draw = (): void => {
      if (element.clientWidth === 0 && pens.current) return pens.current(view(), scaleRef.current ?? [0, 1]);
      const now = view();
      const all = lane.channels.map((channel) => samples.of(channel.number));
      const [low, high] = extremes(all, now.start, now.end);
      const next = scaleFor(low, high, scaleRef.current, least);
      if (next !== scaleRef.current) {
        scaleRef.current = next;
        setScale(next);
      }
      shown = grid(now.start, now.end, chart.width);
      const view_ = shown;
      const columns = lane.channels.map((channel, index) => {
        const series = all[index];
        return series ? column(series, view_, patienceOf(channel)) : [];
      });
      chart.setData([view_.x, ...columns] as uPlot.AlignedData, true);
      pens.current?.(now, next);
    };
    const leave = register(draw);
    const resize = new ResizeObserver(() => {
      if (element.clientWidth > 0) {
        chart.setSize({ width: element.clientWidth, height });
        draw();
      }
    });
    resize.observe(element);
    draw();
    return () => {
      leave();
      resize.disconnect();
      chart.destroy();
    };
  }, [lane, samples, view, theme, register, first, height]);

  const step = (scale[1] - scale[0]) / 4;
  const places = Math.max(0, Math.min(6, -Math.floor(Math.log10(step || 1))));
  return (
    <Row style={{ height }} data-testid="lane">
      <ScaleColumn>
        <span>{figure(scale[1], places)}</span>
        <b>{lane.unit || "–"}</b>
        <span>{figure(scale[0], places)}</span>
      </ScaleColumn>
      <Plot ref={holder} role="img" aria-label={`Trend of ${lane.channels.map((c) => c.name).join(", ")}`} />
      <PenEnd
        lane={lane}
        samples={samples}
        theme={theme}
        shows={shows}
        scale={scale}
        height={height}
        pensRef={pens}
      />
    </Row>
  );
}

function ruling(u: uPlot, theme: Theme): void {
  const { left, top, width, height } = u.bbox;
  u.ctx.save();
  u.ctx.setLineDash([]);
  u.ctx.strokeStyle = theme.ruling;
  u.ctx.lineWidth = devicePixelRatio;
  u.ctx.beginPath();
  for (let i = 1; i < 4; i++) {
    const y = Math.round(top + (height * i) / 4) + 0.5;
    u.ctx.moveTo(left, y);
    u.ctx.lineTo(left + width, y);
  }
  for (let i = 1; i < 10; i++) {
    const x = Math.round(left + (width * i) / 10) + 0.5;
    u.ctx.moveTo(x, top);
    u.ctx.lineTo(x, top + height);
  }
  u.ctx.stroke();
  u.ctx.restore();
}

/** Where a channel has stopped, its lane says so and since when. */
function breaks(u: uPlot, lane: LaneSpec, samples: Samples, inks: string[], theme: Theme): void {
  const ratio = devicePixelRatio;
  let line = 0;
  lane.channels.forEach((channel, index) => {
    const series = samples.of(channel.number);
    const last = series.last();
    if (!last || last.quality <= 1) return;
    let i = series.length - 1;
    while (i > 0 && (series.qualities[i - 1] ?? 0) > 1) i--;
    const since = series.times[i] ?? 0;
    const [low, high] = [u.scales.x?.min ?? 0, u.scales.x?.max ?? 1];
    if (since > high) return;
    const before = i > 0 ? (series.values[i - 1] ?? NaN) : NaN;
    const x = Math.max(u.valToPos(Math.max(since, low), "x", true), u.bbox.left);
    const middle = u.bbox.top + u.bbox.height / 2 + line * 18 * ratio;
    const inside = since >= low && Number.isFinite(before);
    const y = inside
      ? Math.min(
          Math.max(u.valToPos(before, "y", true), u.bbox.top + 14 * ratio),
          u.bbox.top + u.bbox.height - 14 * ratio,
        )
      : middle;
    u.ctx.save();
    u.ctx.strokeStyle = u.ctx.fillStyle = inks[index] ?? "";
    u.ctx.lineWidth = 2 * ratio;
    if (since >= low) {
      u.ctx.beginPath();
      u.ctx.moveTo(x, y - 8 * ratio);
      u.ctx.lineTo(x, y + 8 * ratio);
      u.ctx.stroke();
    }
    u.ctx.font = `${13 * ratio}px "Atkinson Hyperlegible Next Variable", sans-serif`;
    const text = `${channel.name}: ${qualityWords(last.quality)} since ${clock(since)}`;
    const room = u.bbox.left + u.bbox.width - x - 12 * ratio;
    const wide = u.ctx.measureText(text).width;
    u.ctx.textBaseline = "middle";
    if (wide < room) {
      u.ctx.fillText(text, x + 8 * ratio, y);
    } else {
      // No room to the right: at the lane's foot, or its head where the curve ends low.
      const endsLow = y > u.bbox.top + u.bbox.height / 2;
      const row = (12 + line * 18) * ratio;
      const at = endsLow ? u.bbox.top + row : u.bbox.top + u.bbox.height - row;
      const right = u.bbox.left + u.bbox.width - wide - 8 * ratio;
      u.ctx.fillStyle = theme.panel;
      u.ctx.fillRect(right - 4 * ratio, at - 9 * ratio, wide + 8 * ratio, 18 * ratio);
      u.ctx.fillStyle = inks[index] ?? "";
      u.ctx.fillText(text, right, at);
    }
    u.ctx.restore();
    line++;
  });
}

function markLines(u: uPlot, marks: LaneMark[], labels: boolean, theme: Theme): void {
  const ratio = devicePixelRatio;
  const { left, top, width, height } = u.bbox;
  let free = -Infinity;
  for (const mark of marks) {
    const x = Math.round(u.valToPos(mark.at, "x", true)) + 0.5;
    if (x < left || x > left + width) continue;
    u.ctx.save();
    u.ctx.strokeStyle = theme.mark;
    u.ctx.lineWidth = 1.25 * ratio;
    u.ctx.setLineDash([2 * ratio, 3 * ratio]);
    u.ctx.beginPath();
    u.ctx.moveTo(x, top);
    u.ctx.lineTo(x, top + height);
    u.ctx.stroke();
    if (labels) {
      u.ctx.setLineDash([]);
      u.ctx.font = `${12 * ratio}px "Atkinson Hyperlegible Next Variable", sans-serif`;
      const text = mark.text.length > 32 ? `${mark.text.slice(0, 31)}…` : mark.text;
      const wide = u.ctx.measureText(text).width + 14 * ratio;
      const at = Math.min(x, left + width - wide);
      const row = at < free ? 1 : 0;
      free = at + wide + 4 * ratio;
      const y = top + (5 + row * 21) * ratio;
      u.ctx.fillStyle = theme.mark;
      u.ctx.beginPath();
      u.ctx.roundRect(at, y, wide, 18 * ratio, 3 * ratio);
      u.ctx.fill();
      u.ctx.fillStyle = theme.markInk;
      u.ctx.textBaseline = "middle";
      u.ctx.fillText(text, at + 7 * ratio, y + 9.5 * ratio);
    }
    u.ctx.restore();
  }
}
