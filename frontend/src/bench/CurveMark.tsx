import { dashes } from "../look/theme";

/** How a channel's curve is drawn. */
export function CurveMark({ ink, dash, width }: { ink: string; dash: number; width: number }) {
  return (
    <svg width={width} height="5" aria-hidden="true" style={{ display: "block" }}>
      <path d={`M0 2.5h${width}`} stroke={ink} strokeWidth="2.4" strokeDasharray={dashes[dash]?.join(" ")} />
    </svg>
  );
}
