import {
  memo,
  type ReactNode,
  useCallback,
  useEffect,
  useLayoutEffect,
  useMemo,
  useRef,
  useState,
} from "react";
import styled from "styled-components";
import type uPlot from "uplot";
import { dated, qualityWords } from "../look/format";
import { dashes, type Theme } from "../look/theme";
import { type Column, grid, logScale, Pixels, scaleFor } from "../live/pixels";
import type { Readings } from "../live/readings";
import type { Samples } from "../live/samples";
import type { Cursor } from "./cursor";
import { drawBands } from "./bands";
import { drawHappenings, type Happenings } from "./happenings";
import { painted } from "../parts/painted";
import { pixelPath } from "./paths";
import { type Band, bandOf, drawBand, oddOnes } from "./laneBand";
import {
  INSET,
  isState,
  isStates,
  type LaneChannel,
  type LaneMark,
  type LaneOverlay,
  type LaneSpec,
  type LaneView,
  patienceOf,
  serious,
} from "./lanes";
import { PenEnd } from "./PenEnd";
import { ScaleEnds } from "./ScaleEnds";
import { type Extent, extentsOf, freeAt, heightsFrom } from "./sentences";

export interface LaneProps {
  lane: LaneSpec;
  /** Its number from the top, from 0. */
  place: number;
  samples: Samples;
  /** The stretch of time to show, asked at every draw. */
  view: () => LaneView;
  marks: LaneMark[];
  /** What questions found, over the curves. */
  overlays?: readonly LaneOverlay[] | undefined;
  happenings?: Happenings | undefined;
  first: boolean;
  theme: Theme;
  /** Registers what draws the curves, and what writes the digits, with whoever keeps the rhythm. */
  register: (draw: () => void, pen: () => void) => () => void;
  /** "now": the pen end shows the newest value; "mean": the mean of the view. */
  readings: Readings;
  height: number;
  cursor: Cursor;
  /** Samples from before those at hand, and a number that changes with them. */
  past?: { samples: Samples; version: number } | undefined;
  /** The lane's name with what can be done to it. */
  head?: ReactNode;
  onScale?: ((place: number, scale: [number, number] | null) => void) | undefined;
  onDrawn?: ((place: number, id: string, drawn: boolean) => void) | undefined;
  onChannel?: ((channel: LaneChannel) => void) | undefined;
  onLimit?: ((channel: LaneChannel, which: "low" | "high", value: number) => void) | undefined;
  limitsMovable?: boolean | undefined;
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

const Plot = styled.div`
  position: relative;
  min-width: 0;
  overflow: hidden;
`;

/** Pixels below which a scale has no room for its name between its ends. */
const CLOSE = 48;
const UNSCALED: [number, number] = [0, 1];

/** What draws the curves comes when the digits stand. */
let charts: typeof uPlot | null = null;
let fetched: Promise<void> | null = null;
const fetchCharts = (): Promise<void> =>
  (fetched ??= painted()
    .then(() => import("uplot"))
    .then((module) => {
      charts = module.default;
    }));

/** One lane: scale, pen line, limit rail, digits. */
export const Lane = memo(function Lane(props: LaneProps) {
  const { lane, place, samples, view, marks, first, theme, register, readings, height, cursor, past } = props;
  const told = props.onScale;
  const onScale = useMemo(
    () => told && ((next: [number, number] | null) => told(place, next)),
    [told, place],
  );
  const drawnTold = props.onDrawn;
  const onDrawn = useMemo(
    () => drawnTold && ((id: string, on: boolean) => drawnTold(place, id, on)),
    [drawnTold, place],
  );
  const laneRef = useRef(lane);
  useLayoutEffect(() => {
    laneRef.current = lane;
  }, [lane]);
  // What the chart is made for; limits and the like change under it.
  const shape = JSON.stringify([
    lane.log,
    lane.scale,
    lane.undrawn,
    lane.band,
    lane.channels.map((c) => [c.number, c.ink, c.dash, c.decimals, c.interval_s, c.name, c.states]),
  ]);
  const holder = useRef<HTMLDivElement>(null);
  const [scale, setScale] = useState<[number, number]>([0, 1]);
  const scaleRef = useRef<[number, number] | null>(null);
  const before = past?.samples;
  const chartRef = useRef<uPlot | null>(null);
  const marksRef = useRef(marks);
  useEffect(() => {
    marksRef.current = marks;
  }, [marks]);
  const overlaysRef = useRef(props.overlays);
  useEffect(() => {
    overlaysRef.current = props.overlays;
  }, [props.overlays]);
  const happeningsRef = useRef(props.happenings);
  useEffect(() => {
    happeningsRef.current = props.happenings;
  }, [props.happenings]);
  const pens = useRef<((view: LaneView, scale: [number, number]) => void) | null>(null);

  const [ready, setReady] = useState(charts !== null);
  useEffect(() => {
    if (!ready) void fetchCharts().then(() => setReady(true));
  }, [ready]);

  useLayoutEffect(() => {
    const element = holder.current;
    if (!element) return;
    if (!charts) {
      const write = (): void => pens.current?.(view(), UNSCALED);
      write();
      return register(write, write);
    }
    const lane = laneRef.current;
    const kept = new Map<number, Pixels>();
    const columns: Column[] = lane.channels.map(() => []);
    let axis: number[] = [];
    let wide = element.clientWidth;
    const digit = 10 ** -Math.min(...lane.channels.map((channel) => channel.decimals));
    // Twenty of the last digit shown: finer than that is noise to whoever reads the digits.
    const least = 20 * digit;
    const words = isStates(lane);
    const banded = lane.band && !words && !lane.channels.some(isState);
    let band: Band | null = null;
    const undrawn = new Set(lane.undrawn);
    const inks = lane.channels.map((channel) => theme.inks[channel.ink] ?? theme.ink);
    const chart = new charts(
      {
        width: Math.max(element.clientWidth, 10),
        height,
        legend: { show: false },
        focus: { alpha: 0.18 },
        cursor: { show: false },
        padding: [0, 0, 0, 0],
        scales: {
          x: { time: false, range: () => [view().start, view().end] },
          y: {
            ...(lane.log ? { distr: 3 as const, log: 10 as const } : {}),
            range: () => airy(scaleRef.current ?? (lane.log ? [1, 10] : [0, 1]), height, lane.log),
          },
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
            paths: words ? () => null : pixelPath(lane.log),
          })),
        ],
        hooks: {
          drawClear: [
            (u: uPlot) => {
              if (!words) ruling(u, theme);
              if (band) drawBand(u, band, theme);
            },
          ],
          draw: [
            (u: uPlot) => {
              if (words) drawBands(u, lane, columns, inks, theme);
              breaks(u, lane, samples, words ? [] : columns, inks, theme);
              if (happeningsRef.current)
                drawHappenings(u, lane, happeningsRef.current, samples, inks, first, theme);
              drawOverlays(u, lane, overlaysRef.current ?? [], theme);
              markLines(u, marksRef.current, first, theme);
            },
          ],
        },
      },
      [[0], ...lane.channels.map(() => [null])],
      element,
    );
    chartRef.current = chart;
    const draw = (): void => {
      // Never asked of the page here: it would lay everything out anew for every lane.
      if (wide === 0 && pens.current) return pens.current(view(), scaleRef.current ?? [0, 1]);
      const now = view();
      const shown = grid(now.start, now.end, chart.width);
      let low = Infinity;
      let high = -Infinity;
      lane.channels.forEach((channel, index) => {
        // Where a pixel takes longer than a channel's patience, a pixel without a sample breaks the line.
        const patience = Math.max(patienceOf(channel), shown.width * 2.5);
        let pixels = kept.get(channel.number);
        if (!pixels?.fits(shown, patience)) {
          pixels = new Pixels(shown.width, patience, shown.buckets);
          kept.set(channel.number, pixels);
        }
        pixels.follow(samples.of(channel.number), shown, before?.of(channel.number));
        const out = columns[index] ?? [];
        out.length = shown.buckets * 2;
        pixels.write(out, shown);
        if (lane.log) for (let i = 0; i < out.length; i++) if ((out[i] ?? 1) <= 0) out[i] = null;
        if (undrawn.has(channel.id)) return void out.fill(null);
        const [lowest, highest] = pixels.extremes(shown);
        if (lowest < low) low = lowest;
        if (highest > high) high = highest;
      });
      if (banded) {
        band = bandOf(columns, shown.buckets);
        const apart = oddOnes(columns, digit);
        laneRef.current.channels.forEach((channel, index) => {
          if (!apart.has(index) && !serious(channel.limits?.state ?? "")) columns[index]?.fill(null);
        });
      }
      const next = words
        ? UNSCALED
        : (lane.scale ?? (lane.log ? logScale(low, high, scaleRef.current) : null));
      const fitted = next ?? scaleFor(low <= high ? low : NaN, high, scaleRef.current, least);
      if (fitted !== scaleRef.current) {
        scaleRef.current = fitted;
        setScale(fitted);
      }
      axis = shown.x;
      chart.setData([axis, ...columns] as uPlot.AlignedData, true);
      pens.current?.(now, fitted);
    };
    const pen = (): void => pens.current?.(view(), scaleRef.current ?? [0, 1]);
    const leave = register(draw, pen);
    const resize = new ResizeObserver(() => {
      wide = element.clientWidth;
      if (wide > 0) {
        chart.setSize({ width: wide, height });
        draw();
      }
    });
    resize.observe(element);
    draw();
    return () => {
      leave();
      chartRef.current = null;
      resize.disconnect();
      chart.destroy();
    };
  }, [ready, shape, samples, view, theme, register, first, height, before]);

  const point = useCallback(
    (channel: number | null) => {
      const index = lane.channels.findIndex((one) => one.number === channel);
      chartRef.current?.setSeries(index < 0 ? null : index + 1, { focus: true });
    },
    [lane],
  );

  return (
    <Row style={{ height }} data-testid="lane">
      <ScaleEnds lane={lane} scale={scale} head={props.head} close={height < CLOSE} onScale={onScale} />
      <Plot ref={holder} role="img" aria-label={`Trend of ${lane.channels.map((c) => c.name).join(", ")}`} />
      <PenEnd
        lane={lane}
        samples={samples}
        theme={theme}
        readings={readings}
        scale={scale}
        height={height}
        pensRef={pens}
        cursor={cursor}
        onDrawn={onDrawn}
        onChannel={props.onChannel}
        onPoint={point}
        onLimit={props.onLimit}
        limitsMovable={props.limitsMovable}
      />
    </Row>
  );
});

/** A scale with a little air at both ends, so that a value at its end is not drawn on the lane's edge. */
function airy([low, high]: [number, number], height: number, log: boolean): [number, number] {
  const share = INSET / Math.max(height - 2 * INSET, 10);
  if (log) {
    const factor = (high / low) ** share;
    return [low / factor, high * factor];
  }
  const air = (high - low) * share;
  return [low - air, high + air];
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

/** Lines and dots of answers: in the text's ink, so that they are told from every curve. */
function drawOverlays(u: uPlot, lane: LaneSpec, overlays: readonly LaneOverlay[], theme: Theme): void {
  const ratio = devicePixelRatio;
  const { left, top, width, height } = u.bbox;
  const mine = overlays.filter((one) => lane.channels.some((channel) => channel.id === one.channel));
  if (!mine.length) return;
  u.ctx.save();
  u.ctx.beginPath();
  u.ctx.rect(left, top, width, height);
  u.ctx.clip();
  u.ctx.strokeStyle = theme.ink;
  for (const { times, values, dots } of mine) {
    // What follows every sample must not hide them.
    u.ctx.lineWidth = (times.length > 200 ? 1 : 2) * ratio;
    u.ctx.setLineDash(dots ? [] : [7 * ratio, 5 * ratio]);
    u.ctx.beginPath();
    times.forEach((time, n) => {
      const [x, y] = [u.valToPos(time, "x", true), u.valToPos(values[n] ?? NaN, "y", true)];
      if (!Number.isFinite(x) || !Number.isFinite(y)) return;
      if (dots) {
        u.ctx.moveTo(x + 5 * ratio, y);
        u.ctx.arc(x, y, 5 * ratio, 0, 2 * Math.PI);
      } else if (n === 0) u.ctx.moveTo(x, y);
      else u.ctx.lineTo(x, y);
    });
    u.ctx.stroke();
  }
  u.ctx.restore();
}

/** Where a channel has stopped, its lane says so and since when, where no curve is in the way: the readout says it too. */
function breaks(
  u: uPlot,
  lane: LaneSpec,
  samples: Samples,
  columns: Column[],
  inks: string[],
  theme: Theme,
): void {
  const ratio = devicePixelRatio;
  const { left, top, width, height } = u.bbox;
  const [low, high] = [u.scales.x?.min ?? 0, u.scales.x?.max ?? 1];
  const half = 9 * ratio;
  const place = (value: number): number => u.valToPos(value, "y", true);
  const placed: { from: number; to: number; extent: Extent }[] = [];
  lane.channels.forEach((channel, index) => {
    const series = samples.of(channel.number);
    const last = series.last();
    if (!last || last.quality <= 1) return;
    let i = series.length - 1;
    while (i > 0 && (series.qualities[i - 1] ?? 0) > 1) i--;
    const since = series.times[i] ?? 0;
    if (since > high) return;
    const before = i > 0 ? (series.values[i - 1] ?? NaN) : NaN;
    const x = Math.max(u.valToPos(Math.max(since, low), "x", true), left);
    const inside = since >= low && Number.isFinite(before);
    const y = inside
      ? Math.min(Math.max(place(before), top + 14 * ratio), top + height - 14 * ratio)
      : top + height / 2;
    u.ctx.save();
    u.ctx.strokeStyle = u.ctx.fillStyle = inks[index] ?? theme.ink;
    u.ctx.lineWidth = 2 * ratio;
    if (since >= low) {
      u.ctx.beginPath();
      u.ctx.moveTo(x, y - 8 * ratio);
      u.ctx.lineTo(x, y + 8 * ratio);
      u.ctx.stroke();
    }
    u.ctx.font = `${13 * ratio}px "Atkinson Hyperlegible Next Variable", sans-serif`;
    u.ctx.textBaseline = "middle";
    const text = `${channel.name}: ${qualityWords(last.quality)} since ${dated(since)}`;
    const wide = u.ctx.measureText(text).width;
    const from = Math.min(x + 8 * ratio, left + width - wide - 8 * ratio);
    const to = from + wide;
    const axis = u.data[0];
    const first = Math.max(0, axis.findIndex((time) => u.valToPos(time, "x", true) >= from) - 1);
    const behind = axis.findIndex((time) => u.valToPos(time, "x", true) > to);
    const taken = [
      ...columns.flatMap((column) => extentsOf(column, first, behind < 0 ? axis.length : behind, place)),
      ...placed.filter((one) => one.from < to && one.to > from).map((one) => one.extent),
    ];
    const at = from >= left ? freeAt(heightsFrom(y, top, height, 2 * half), taken, half) : null;
    if (at !== null) {
      u.ctx.fillText(text, from, at);
      placed.push({ from, to, extent: [at - half, at + half] });
    }
    u.ctx.restore();
  });
}

/** Where more marks are shown than one for so many pixels, each has a tick at the top: lines would hide the curves. */
const ROOM = 12;

function markLines(u: uPlot, marks: LaneMark[], labels: boolean, theme: Theme): void {
  const ratio = devicePixelRatio;
  const { left, top, width, height } = u.bbox;
  const shown: { x: number; text: string }[] = [];
  for (const { at, text } of marks) {
    const x = Math.round(u.valToPos(at, "x", true)) + 0.5;
    if (x >= left && x <= left + width && x !== shown.at(-1)?.x) shown.push({ x, text });
  }
  const whole = shown.length * ROOM * ratio <= width;
  u.ctx.save();
  u.ctx.strokeStyle = theme.mark;
  u.ctx.lineWidth = 1.25 * ratio;
  if (whole) u.ctx.setLineDash([2 * ratio, 3 * ratio]);
  u.ctx.beginPath();
  for (const { x } of shown) {
    u.ctx.moveTo(x, top);
    u.ctx.lineTo(x, top + (whole ? height : 4 * ratio));
  }
  u.ctx.stroke();
  if (labels) markTexts(u, shown, theme);
  u.ctx.restore();
}

/** In two rows. Where there is no room left the line stands alone: the table has the text. */
function markTexts(u: uPlot, shown: readonly { x: number; text: string }[], theme: Theme): void {
  const ratio = devicePixelRatio;
  const { left, top, width } = u.bbox;
  const free = [-Infinity, -Infinity]; // from where on each row is
  u.ctx.font = `${12 * ratio}px "Atkinson Hyperlegible Next Variable", sans-serif`;
  u.ctx.textBaseline = "middle";
  for (const mark of shown) {
    if (!free.some((one) => one <= mark.x)) continue;
    const text = mark.text.length > 32 ? `${mark.text.slice(0, 31)}…` : mark.text;
    const wide = u.ctx.measureText(text).width + 14 * ratio;
    const at = Math.min(mark.x, left + width - wide);
    const row = free.findIndex((one) => one <= at);
    if (row < 0) continue;
    free[row] = at + wide + 4 * ratio;
    const y = top + (5 + row * 21) * ratio;
    u.ctx.fillStyle = theme.mark;
    u.ctx.beginPath();
    u.ctx.roundRect(at, y, wide, 18 * ratio, 3 * ratio);
    u.ctx.fill();
    u.ctx.fillStyle = theme.markInk;
    u.ctx.fillText(text, at + 7 * ratio, y + 9.5 * ratio);
  }
}
