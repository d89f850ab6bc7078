import { dashes, type Theme } from "../look/theme";

/** How a curve is drawn: ink and dashes. */
export function Swatch({ ink, theme }: { ink: number; theme: Theme }) {
  return (
    <svg width={22} height={10} viewBox="0 0 22 10" aria-hidden="true" style={{ verticalAlign: "middle" }}>
      <path
        d="M0 5H22"
        stroke={theme.inks[ink % theme.inks.length]}
        strokeWidth={2.5}
        strokeDasharray={(dashes[ink % dashes.length] ?? []).join(" ")}
      />
    </svg>
  );
}
