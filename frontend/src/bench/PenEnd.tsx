import { type RefObject, useEffect, useRef, useState } from "react";
import styled from "styled-components";
import type { Theme } from "../look/theme";
import type { Readings, Shown } from "../live/readings";
import type { Samples } from "../live/samples";
import { type Trend, trendOf } from "../live/stats";
import type { Cursor } from "./cursor";
import {
  isState,
  isStates,
  type LaneChannel,
  type LaneSpec,
  type LaneView,
  MANY,
  READOUT,
  READOUT_CLOSE,
} from "./lanes";
import { LimitRail } from "./LimitRail";
import { inOrder, troubleFirst } from "./order";
import { type Cell, point, write } from "./readout";
import { ReadoutLines } from "./ReadoutLines";
import { Readouts } from "./Readouts";

const Ends = styled.div`
  display: grid;
  grid-template-columns: 50px minmax(0, 1fr);
  border-left: 1px solid var(--hairline);
  min-height: 0;
  @media (max-width: 719px) {
    grid-template-columns: minmax(0, 1fr);
    padding-left: 14px;
    border-left: 0;
    > svg {
      display: none;
    }
  }
`;

export interface PenEndProps {
  lane: LaneSpec;
  samples: Samples;
  theme: Theme;
  readings: Readings;
  scale: [number, number];
  height: number;
  pensRef: RefObject<((view: LaneView, scale: [number, number]) => void) | null>;
  cursor: Cursor;
  onChannel?: ((channel: LaneChannel) => void) | undefined;
  onLimit?: ((channel: LaneChannel, which: "low" | "high", value: number) => void) | undefined;
  limitsMovable?: boolean | undefined;
  onDrawn?: ((id: string, drawn: boolean) => void) | undefined;
  /** A channel is pointed at: its curve stands in front. */
  onPoint?: ((channel: number | null) => void) | undefined;
}

/** Milliseconds over which a value is judged to be rising or falling. */
const SETTLING = 20_000;

/** The limit rail and the readouts. Digits and pointers are written past React, at most a few times a second. */
export function PenEnd(props: PenEndProps) {
  const { lane, samples, readings, theme, scale, height, pensRef, cursor } = props;
  const pointers = useRef(new Map<number, SVGPathElement>());
  const cells = useRef(new Map<number, Partial<Cell>>());
  const [order, setOrder] = useState<number[]>(() => lane.channels.map((channel) => channel.number));
  const { length } = lane.channels;
  const close = height < 6 + READOUT * length;
  const many = height < (length < MANY ? 4 + READOUT_CLOSE : 10 + READOUT) * length && length > 2;

  useEffect(() => {
    let written = 0;
    let sorted = 0;
    let judged = 0;
    const trends = new Map<number, Trend>();
    pensRef.current = (view, current) => {
      const time = performance.now();
      // Nobody reads thirty numbers more than five times a second, and each one laid out again takes its time.
      if (many && time - written < 200 && cursor.at === null) return;
      const values = new Map<number, Shown>();
      for (const channel of lane.channels)
        values.set(channel.number, readings.of(channel, view.end, cursor.at, !cursor.pinned));
      for (const channel of lane.channels) {
        const shown = values.get(channel.number);
        const pointer = pointers.current.get(channel.number);
        if (shown && pointer && !isState(channel)) point(pointer, shown, current, height, lane.log);
      }
      if (time - written < 25 && cursor.at === null) return;
      written = time;
      const judges = time - judged > 500;
      if (judges) judged = time;
      for (const channel of lane.channels) {
        const shown = values.get(channel.number);
        const cell = cells.current.get(channel.number);
        if (!shown || !cell) continue;
        const from = cursor.from === null ? null : readings.of(channel, view.end, cursor.from).value;
        const judged = readings.judged(cursor.at);
        if (judges) {
          const series = samples.of(channel.number);
          const band = channel.limits?.band ?? (current[1] - current[0]) * 0.05;
          const before = trends.get(channel.number) ?? "";
          trends.set(channel.number, trendOf(series, view.end, SETTLING, band, before));
        }
        const settled = channel.limits?.settled ? "settled" : (trends.get(channel.number) ?? "");
        const trend = judged && !isState(channel) ? settled : "";
        write(channel, shown, cell, { from, trend, judged });
      }
      if (lane.channels.length > 1 && time - sorted > 1000) {
        sorted = time;
        if (many) setOrder((old) => troubleFirst(old, lane, values, !readings.judged(cursor.at)));
        else if (!isStates(lane)) setOrder((old) => inOrder(old, values, (current[1] - current[0]) * 0.08));
      }
    };
    return () => {
      pensRef.current = null;
    };
  }, [lane, samples, readings, height, pensRef, cursor, many]);

  const byNumber = new Map(lane.channels.map((channel) => [channel.number, channel]));
  const known = order.flatMap((number) => byNumber.get(number) ?? []);
  const rows = lane.channels.length === known.length ? known : lane.channels;
  const cell = (number: number, part: Partial<Cell>): void => {
    cells.current.set(number, { ...cells.current.get(number), ...part });
  };
  const shared = { channels: rows, theme, onChannel: props.onChannel, cell };
  return (
    <Ends>
      <LimitRail
        lane={lane}
        theme={theme}
        scale={scale}
        height={height}
        pointers={pointers}
        movable={props.limitsMovable}
        onLimit={props.onLimit}
      />
      {many ? (
        <ReadoutLines
          {...shared}
          unit={lane.unit}
          drawn={(id) => !lane.undrawn.includes(id)}
          onDrawn={props.onDrawn}
          onPoint={props.onPoint}
        />
      ) : (
        <Readouts {...shared} close={close} />
      )}
    </Ends>
  );
}
