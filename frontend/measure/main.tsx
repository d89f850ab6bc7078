/** The Bench's lanes over samples that are made up here, drawn as fast as they can be; beside them bare charts. */

import "uplot/dist/uPlot.min.css";
import { useCallback, useState } from "react";
import { createRoot } from "react-dom/client";
import uPlot from "uplot";
import { samplesFrom } from "../src/api/client";
import { Cursor } from "../src/bench/cursor";
import { Lane } from "../src/bench/Lane";
import type { LaneView } from "../src/bench/lanes";
import { arranged, PLAIN } from "../src/bench/layout";
import { GlobalStyle } from "../src/look/GlobalStyle";
import { themes } from "../src/look/theme";
import { column, grid } from "../src/live/pixels";
import { Exact } from "../src/live/exact";
import { benchReadings } from "../src/live/readings";
import { Samples } from "../src/live/samples";

const MANY = new URLSearchParams(location.search).has("many");
/** Sixteen channels in pairs, or those of 32 stations with four quantities each: a lane for each quantity. */
const CHANNELS = MANY ? 128 : 16;
const HOUR = 3_600_000;
const SPAN = MANY ? 300_000 : HOUR;
const EVERY = MANY ? 100 : 50; // ms between two samples of a channel
const STEP = MANY ? 200 : 1000; // ms that pass between two draws: less than a pixel takes
const [WIDTH, HEIGHT] = [900, MANY ? 152 : 70];
const BEGIN = 1.7e12;

const channels = Array.from({ length: CHANNELS }, (_, n) => ({
  number: n + 1, id: `m-v${n + 1}`, name: `Channel ${n + 1}`, unit: `unit ${MANY ? n % 4 : n >> 1}`, decimals: 2, interval_s: EVERY / 1000,
  low: 2, high: 8,
})); // prettier-ignore

const samples = new Samples();
let now = BEGIN;

function live(until: number): void {
  for (; now < until; now += EVERY)
    for (const { number } of channels)
      samples.of(number).push(now, 5 + 3 * Math.sin(now / 40_000 + number) + ((now / EVERY) % 7) / 20, 0);
}

const draws = new Set<() => void>();
const register = (draw: () => void): (() => void) => {
  draws.add(draw);
  return () => draws.delete(draw);
};
const lanes = arranged(channels, PLAIN);
const cursor = new Cursor();
const readings = benchReadings(samples, new Exact(() => now), true);
let show: (past: { samples: Samples; version: number } | undefined, view: LaneView | null) => void;
let stretch: LaneView | null = null;

function Lanes() {
  const [past, setPast] = useState<{ samples: Samples; version: number }>();
  const view = useCallback((): LaneView => stretch ?? { start: now - SPAN, end: now }, []);
  show = (next, shown) => {
    stretch = shown;
    setPast(next);
  };
  return (
    <div style={{ width: WIDTH + 60 + 254 }}>
      {lanes.map((lane, place) => (
        <Lane
          key={lane.key} place={place} lane={lane} samples={samples} view={view} marks={[]} first={place === 0}
          theme={themes.day} register={register} readings={readings} height={HEIGHT} cursor={cursor} past={past}
        />
      ))}
    </div>
  ); // prettier-ignore
}

const frame = (): Promise<number> => new Promise((done) => requestAnimationFrame(done));
// A chart paints in a microtask of its own.
const painted = async (): Promise<void> => {
  for (let n = 0; n < 5; n++) await Promise.resolve();
};

/** Bare charts of the same size with the same per-pixel data. */
function bareCharts(): {
  draw: () => void;
  put: (place: number, data: number[][]) => void;
  remove: () => void;
} {
  const holder = document.createElement("div");
  document.body.append(holder);
  const view = grid(now - SPAN, now, WIDTH);
  const made = lanes.map((lane) => {
    const data = [view.x, ...lane.channels.map((one) => column(samples.of(one.number), view, 1500))];
    const chart = new uPlot(
      {
        width: WIDTH, height: HEIGHT, legend: { show: false }, cursor: { show: false }, padding: [0, 0, 0, 0],
        scales: { x: { time: false }, y: { range: () => [0, 10] } },
        axes: [{ show: false }, { show: false }],
        series: [{}, ...lane.channels.map(() => ({ stroke: "#1F5FBF", width: 1.8, points: { show: false } }))],
      },
      data as uPlot.AlignedData,
      holder,
    ); // prettier-ignore
    return { chart, data };
  });
  return {
    draw: () => made.forEach(({ chart, data }) => chart.setData(data as uPlot.AlignedData, true)),
    put: (place, data) => made[place]?.chart.setData(data as uPlot.AlignedData, true),
    remove: () => {
      made.forEach(({ chart }) => chart.destroy());
      holder.remove();
    },
  };
}

async function frames(rounds: number, each: number): Promise<Record<string, number[]>> {
  const ours: number[] = [];
  const bare: number[] = [];
  const ourFrames: number[] = [];
  const bareFrames: number[] = [];
  for (let round = 0; round < rounds; round++) {
    for (let n = 0; n < each; n++) {
      live(now + STEP);
      const from = await frame();
      const begun = performance.now();
      draws.forEach((draw) => draw());
      await painted();
      ours.push(performance.now() - begun);
      ourFrames.push((await frame()) - from);
    }
    const charts = bareCharts();
    await frame();
    for (let n = 0; n < each; n++) {
      const from = await frame();
      const begun = performance.now();
      charts.draw();
      await painted();
      bare.push(performance.now() - begun);
      bareFrames.push((await frame()) - from);
    }
    charts.remove();
  }
  return { ours, bare, ourFrames, bareFrames };
}

/** A month from the records: from the request until it is painted. */
async function month(
  start: number,
  end: number,
): Promise<{ fetched: number; drawn: number; points: number }> {
  samples.series.clear();
  const begun = performance.now();
  const packed = await samplesFrom(`/api/history?start=${start * 1000}&end=${end * 1000}&points=${WIDTH}`);
  const fetched = performance.now() - begun;
  const past = new Samples();
  past.add(packed);
  show({ samples: past, version: Math.random() }, { start, end });
  await new Promise((done) => setTimeout(done)); // React has put it in
  draws.forEach((draw) => draw());
  await painted();
  const drawn = performance.now() - begun;
  return { fetched, drawn, points: packed.byteLength / 24 };
}

/** The same month, fetched and put into bare charts that are there already, as whoever needs nothing else would: times of the lane's first channel for all. */
async function bareMonth(start: number, end: number): Promise<number> {
  const charts = bareCharts();
  await frame();
  const begun = performance.now();
  const answer = await fetch(`/api/history?start=${start * 1000}&end=${end * 1000}&points=${WIDTH}`);
  const view = new DataView(await answer.arrayBuffer());
  const series = new Map<number, [number[], number[]]>();
  for (let at = 0; at + 24 <= view.byteLength; at += 24) {
    const number = (view.getUint32(at, true) >>> 8) & 0xffff;
    const [times, values] = series.get(number) ?? [[], []];
    if (!times.length) series.set(number, [times, values]);
    times.push(Number(view.getBigInt64(at + 8, true)) / 1000);
    values.push(view.getFloat64(at + 16, true));
  }
  lanes.forEach((lane, place) => {
    const mine = lane.channels.map((one) => series.get(one.number) ?? [[], []]);
    charts.put(place, [mine[0]?.[0] ?? [], ...mine.map(([, values]) => values)]);
  });
  await painted();
  const drawn = performance.now() - begun;
  charts.remove();
  return drawn;
}

/** An hour, as fast as it goes. */
async function pass(hours: number): Promise<void> {
  const until = now + hours * HOUR;
  while (now < until) {
    live(now + 20 * STEP);
    draws.forEach((draw) => draw());
    await painted();
    if (Math.round((now - BEGIN) / STEP) % 200 === 0) await frame();
  }
}

live(BEGIN + HOUR);
createRoot(document.getElementById("root") as HTMLElement).render(
  <>
    <GlobalStyle $name="day" />
    <Lanes />
  </>,
);
Object.assign(window, { measured: { frames, month, bareMonth, pass } });
