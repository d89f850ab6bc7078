import { type KeyboardEvent, type PointerEvent, type RefObject, useRef, useState } from "react";
import type { Theme } from "../look/theme";
import { figure } from "../look/format";
import { type LaneChannel, type LaneSpec, placeOf, valueAt } from "./lanes";

export interface LimitRailProps {
  lane: LaneSpec;
  theme: Theme;
  scale: [number, number];
  height: number;
  pointers: RefObject<Map<number, SVGPathElement>>;
  movable?: boolean | undefined;
  onLimit?: ((channel: LaneChannel, which: "low" | "high", value: number) => void) | undefined;
}

/** Limits as a band on the lane's own scale, the value as a pointer. Unlocked, the ends can be dragged. */
export function LimitRail({ lane, theme, scale, height, pointers, movable, onLimit }: LimitRailProps) {
  const [drag, setDrag] = useState<{ id: string; which: "low" | "high"; value: number } | null>(null);
  const rail = useRef<SVGSVGElement>(null);
  const clip = (y: number): number => Math.min(Math.max(y, 0), height);
  const at = (value: number): number => placeOf(value, scale, height, lane.log);
  // A limit beyond the lane's scale stands at its edge as an arrow.
  const inLane = (limit: number | null): limit is number =>
    limit !== null && limit >= scale[0] && limit <= scale[1];
  const rounded = (value: number, channel: LaneChannel): number => Number(value.toFixed(channel.decimals));
  const follow = (event: PointerEvent, channel: LaneChannel, which: "low" | "high"): void => {
    const box = rail.current?.getBoundingClientRect();
    if (!box || drag?.which !== which || drag.id !== channel.id) return;
    const y = Math.min(Math.max(event.clientY - box.top, 0), height);
    setDrag({ ...drag, value: rounded(valueAt(y, scale, height, lane.log), channel) });
  };
  const nudge = (event: KeyboardEvent, channel: LaneChannel, which: "low" | "high", value: number): void => {
    const by = { ArrowUp: 1, ArrowDown: -1 }[event.key];
    if (!by) return;
    event.preventDefault();
    const step = Math.max((scale[1] - scale[0]) / 100, 10 ** -channel.decimals) * (event.shiftKey ? 10 : 1);
    onLimit?.(channel, which, rounded(value + by * step, channel));
  };
  const end = (channel: LaneChannel, which: "low" | "high", limit: number | null, x: number, ink: string) => {
    const held = drag?.id === channel.id && drag.which === which ? drag.value : null;
    const value = held ?? limit;
    if (value === null) return null;
    const off = inLane(value) ? "" : value > scale[1] ? "above" : "below";
    const y = off === "above" ? 6 : off === "below" ? height - 6 : at(value);
    const line =
      off === ""
        ? `M${x - 6} ${y}h12`
        : off === "above"
          ? `M${x - 4} ${y + 1}l4 -5l4 5z`
          : `M${x - 4} ${y - 1}l4 5l4 -5z`;
    const words = `${which === "low" ? "Lower" : "Upper"} limit of ${channel.name}: ${figure(value, channel.decimals)}`;
    const mark = (
      <path key={which} d={line} stroke={ink} strokeWidth="2" fill={off ? ink : "none"}>
        <title>{off ? `${words}, ${off} the scale` : words}</title>
      </path>
    );
    if (!movable) return mark;
    return (
      <g
        key={which}
        role="slider"
        tabIndex={0}
        aria-label={`${which === "low" ? "Lower" : "Upper"} limit of ${channel.name}`}
        aria-valuenow={value}
        aria-valuemin={scale[0]}
        aria-valuemax={scale[1]}
        aria-valuetext={`${figure(value, channel.decimals)} ${channel.unit}`}
        data-testid={`limit-${which}-${channel.name}`}
        style={{ cursor: "ns-resize", touchAction: "none" }}
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          setDrag({ id: channel.id, which, value });
        }}
        onPointerMove={(event) => follow(event, channel, which)}
        onPointerUp={() => {
          if (drag && drag.value !== limit) onLimit?.(channel, which, drag.value);
          setDrag(null);
        }}
        onPointerCancel={() => setDrag(null)}
        onKeyDown={(event) => nudge(event, channel, which, value)}
      >
        <rect x={x - 11} y={y - 9} width="22" height="18" fill="transparent" stroke="none" />
        {off ? mark : <path d={`M${x - 9} ${y}h18`} stroke={ink} strokeWidth="3" />}
        {!off && <circle cx={x} cy={y} r="4.5" fill="var(--panel)" stroke={ink} strokeWidth="2" />}
        {held !== null && (
          <text
            x={x + 13}
            y={Math.min(Math.max(y + 4, 14), height - 4)}
            fill="var(--ink)"
            stroke="var(--panel)"
            strokeWidth="4"
            paintOrder="stroke"
            fontSize="13"
            fontWeight="700"
          >
            {figure(held, channel.decimals)}
          </text>
        )}
      </g>
    );
  };
  // Every channel of the lane has its place, narrower where there are many.
  const count = lane.channels.length;
  const apart = count > 1 ? Math.min(20, 30 / (count - 1)) : 0;
  const wide = count > 2 ? Math.max(1.5, Math.min(8, apart * 0.6)) : 8;
  const pointer = count > 2 ? Math.max(5, Math.min(11, apart)) : 11;
  return (
    <svg
      ref={rail}
      width="50"
      height={height}
      style={{ overflow: "visible", zIndex: drag ? 3 : undefined }}
      aria-hidden={movable ? undefined : true}
    >
      {lane.channels.map((channel, index) => {
        const ink = theme.inks[channel.ink] ?? theme.ink;
        const x = 11 + index * apart;
        const band = (low: number | null, high: number | null, opacity: number) => {
          if (low === null && high === null) return null;
          const top = clip(at(high ?? Infinity));
          const bottom = clip(low === null ? height : at(low));
          return (
            <rect
              x={x - wide / 2}
              y={top}
              width={wide}
              height={Math.max(bottom - top, 0)}
              opacity={opacity}
              fill={ink}
            />
          );
        };
        const limits = channel.limits;
        return (
          <g key={channel.id}>
            {band(channel.low, channel.high, 0.2)}
            {band(limits?.low_caution ?? null, limits?.high_caution ?? null, 0.22)}
            {[limits?.low_caution, limits?.high_caution].map((limit, n) =>
              limit !== undefined && inLane(limit) ? (
                <path
                  key={n}
                  d={`M${x - 5} ${at(limit)}h10`}
                  stroke={ink}
                  strokeWidth="1.5"
                  strokeDasharray="2 2"
                />
              ) : null,
            )}
            {end(channel, "high", channel.high, x, ink)}
            {end(channel, "low", channel.low, x, ink)}
            <path
              ref={(element) => {
                if (element) pointers.current.set(channel.number, element);
              }}
              d={`M${x - pointer} ${-pointer / 2 - 0.5}l${pointer} ${pointer / 2 + 0.5}l${-pointer} ${pointer / 2 + 0.5}z`}
              fill={ink}
              stroke="none"
              visibility="hidden"
              pointerEvents="none"
            />
          </g>
        );
      })}
    </svg>
  );
}
