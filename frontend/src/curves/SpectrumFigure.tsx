import { useState } from "react";
import styled from "styled-components";
import type { Schemas } from "../api/client";
import type { Theme } from "../look/theme";
import { Chip } from "../parts/Button";
import { CurvePlot } from "./CurvePlot";
import { figureOf } from "./scale";

const Box = styled.section`
  margin-top: 12px;
  header {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 8px;
    margin: 0 2px 6px;
  }
  header b {
    flex: 1 1 200px;
    font-weight: 600;
  }
  p {
    margin: 6px 2px;
    color: var(--quiet);
    font-size: 13px;
    max-width: 100ch;
  }
`;

export interface Spectrum {
  id: number;
  title: string;
  quantity: string;
  ink: number;
  told: Schemas["Spectrum"];
}

/** The spectrum of a capture. */
export function SpectrumFigure({
  one,
  theme,
  onClose,
}: {
  one: Spectrum;
  theme: Theme;
  onClose: () => void;
}) {
  const [logarithmic, setLogarithmic] = useState({ x: false, y: false });
  const [cursor, setCursor] = useState<number | null>(null);
  const { xs, ys, unit, method, peaks } = one.told;
  const place =
    cursor === null
      ? -1
      : xs.reduce((best, x, n) => (Math.abs(x - cursor) < Math.abs((xs[best] ?? 0) - cursor) ? n : best), 0);
  return (
    <Box aria-label={`Spectrum of ${one.title}`}>
      <header>
        <b>
          Spectrum: {one.quantity} of {one.title}
        </b>
        <Chip
          $chosen={logarithmic.x}
          aria-pressed={logarithmic.x}
          onPress={() => setLogarithmic({ ...logarithmic, x: !logarithmic.x })}
        >
          Frequency logarithmic
        </Chip>
        <Chip
          $chosen={logarithmic.y}
          aria-pressed={logarithmic.y}
          onPress={() => setLogarithmic({ ...logarithmic, y: !logarithmic.y })}
        >
          Amplitude logarithmic
        </Chip>
        <Chip onPress={onClose}>Take away</Chip>
      </header>
      <CurvePlot
        theme={theme}
        over="Frequency, Hz"
        logarithmic={logarithmic.x}
        panels={[
          {
            title: `Amplitude${unit ? `, ${unit}` : ""}`,
            logarithmic: logarithmic.y,
            lines: [{ key: "spectrum", xs: xs.slice(1), ys: ys.slice(1), ink: one.ink }],
          },
        ]}
        cursor={cursor}
        onCursor={setCursor}
        stretch={null}
        onStretch={() => undefined}
        height={260}
      />
      <p role="status">
        {place >= 0
          ? `At the cursor: ${figureOf(xs[place] ?? 0)} Hz, ${figureOf(ys[place] ?? 0)}${unit && ` ${unit}`}.`
          : peaks.length
            ? `Highest peaks at ${peaks.map(({ value }) => `${Number(value.toPrecision(4))} Hz`).join(", ")}.`
            : "No peak stands out."}
      </p>
      <p>{method}</p>
    </Box>
  );
}
