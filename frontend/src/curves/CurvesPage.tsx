import { useMemo, useState } from "react";
import { useSearchParams } from "react-router";
import styled from "styled-components";
import { api, got } from "../api/client";
import { alike, useLive } from "../live/connection";
import type { Theme } from "../look/theme";
import { Button, Chip } from "../parts/Button";
import { Trouble } from "../parts/Trouble";
import { CaptureStrip } from "./CaptureStrip";
import { CaptureWindow } from "./CaptureWindow";
import { CurveList } from "./CurveList";
import { atCursor, CurvePlot, type Panel, type Stretch, type Told } from "./CurvePlot";
import {
  type CurveStatus,
  type Drawn,
  keyOf,
  leftOut,
  MOST_DRAWN,
  type Ref,
  refsOf,
  useDrawn,
} from "./curves";
import { CurveQuestions, type Shown } from "./CurveQuestions";
import { asSent } from "./scale";
import { type Spectrum, SpectrumFigure } from "./SpectrumFigure";
import { Swatch } from "./Swatch";

const Page = styled.main`
  display: grid;
  grid-template-columns: 300px minmax(0, 1fr);
  gap: 12px;
  padding: 0 12px 24px;
  align-items: start;
  > header {
    grid-column: 1 / -1;
    display: flex;
    flex-wrap: wrap;
    align-items: baseline;
    gap: 4px 14px;
    padding: 6px 6px 0;
  }
  h1 {
    font-size: 22px;
  }
  .state {
    color: var(--quiet);
  }
  .tools {
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
    margin-bottom: 8px;
    align-items: center;
  }
  .note {
    color: var(--caution);
    font-weight: 600;
    margin: 6px 0;
  }
  @media (max-width: 900px) {
    grid-template-columns: minmax(0, 1fr);
    > section {
      order: -1;
    }
    > header {
      order: -2;
    }
  }
`;

const AtCursor = styled.table`
  margin: 8px 0 0;
  border-collapse: collapse;
  width: 100%;
  th,
  td {
    padding: 4px 10px;
    text-align: right;
    border-bottom: 1px solid var(--ruling);
    white-space: nowrap;
  }
  th {
    font-size: 12.5px;
    color: var(--quiet);
    font-weight: 600;
  }
  td {
    font-variant-numeric: tabular-nums;
    font-weight: 600;
  }
  th:first-child,
  td:first-child {
    text-align: left;
    white-space: normal;
    font-weight: 400;
  }
`;

const Legend = styled.ul`
  list-style: none;
  margin: 0 2px 8px;
  padding: 0;
  display: flex;
  flex-wrap: wrap;
  gap: 4px 20px;
  li {
    display: flex;
    align-items: center;
    gap: 8px;
  }
  b {
    font-weight: 600;
  }
  .state {
    font-size: 12.5px;
  }
`;

/** Curves over their own axis: one, or several over each other. */
export function CurvesPage({ theme }: { theme: Theme }) {
  const [search, setSearch] = useSearchParams();
  const newest = useLive(({ status }) => status?.curves?.at(-1)?.number ?? 0);
  const asked = search.get("show");
  const [capturing, setCapturing] = useState(false);
  const lately = useLive(({ status }) => {
    // Those that can be laid over the newest: with the same columns, the newest first.
    const every = status?.curves ?? [];
    const last = every.at(-1);
    const alikeOnes = every.filter((one) => last && columnsOf(one) === columnsOf(last));
    return alikeOnes
      .slice(-4)
      .reverse()
      .map(({ number }) => `now.${number}`);
  }, alike);
  const refs = useMemo<Ref[]>(
    () => (asked === null ? (newest ? [{ run: null, number: newest }] : []) : refsOf(asked)),
    [asked, newest],
  );
  const { drawn, trouble, waiting } = useDrawn(refs);
  const toggle = (ref: Ref): void => {
    const keys = refs.map(keyOf);
    const key = keyOf(ref);
    const next = keys.includes(key) ? keys.filter((one) => one !== key) : [...keys, key].slice(-MOST_DRAWN);
    setSearch({ show: next.join(",") }, { replace: true });
  };
  return (
    <Page>
      <header>
        <h1>Curves</h1>
        <span className="state">{stateWords(drawn, refs.length)}</span>
        <span style={{ marginLeft: "auto", display: "flex", gap: 8 }}>
          {lately.length > 1 && (
            <Button onPress={() => setSearch({ show: lately.join(",") }, { replace: true })}>
              The last ones
            </Button>
          )}
          <Button $kind="bright" onPress={() => setCapturing(true)}>
            Capture …
          </Button>
        </span>
      </header>
      <CaptureStrip />
      {capturing && (
        <CaptureWindow
          onClose={() => setCapturing(false)}
          onStarted={() => {
            setCapturing(false);
            setSearch({}, { replace: true });
          }}
        />
      )}
      <CurveList shown={drawn} onToggle={toggle} theme={theme} />
      <section aria-label="Drawn" style={{ minWidth: 0 }}>
        {trouble && <Trouble>{trouble}</Trouble>}
        {drawn.length > 0 ? (
          <DrawnCurves drawn={drawn} theme={theme} onToggle={toggle} />
        ) : (
          <p className="state" style={{ padding: 20 }}>
            {waiting && refs.length > 0
              ? "Fetching the curve …"
              : "Nothing is drawn. Choose a curve, or start a sweep with a command of its instrument: it is drawn here while it comes."}
          </p>
        )}
      </section>
    </Page>
  );
}

const columnsOf = ({ columns }: CurveStatus): string => columns.map(titled).join("\n");

function stateWords(drawn: readonly Drawn[], wanted: number): string {
  const [one] = drawn;
  if (drawn.length === 1 && one) return `${one.title}: ${one.found.about.words}`;
  return wanted ? `${wanted} drawn over each other` : "";
}

const titled = ({ name, unit }: { name: string; unit?: string }): string =>
  unit ? `${name}, ${unit}` : name;

interface DrawnCurvesProps {
  drawn: readonly Drawn[];
  theme: Theme;
  onToggle: (ref: Ref) => void;
}

function DrawnCurves({ drawn, theme, onToggle }: DrawnCurvesProps) {
  const [cursor, setCursor] = useState<number | null>(null);
  const [stretch, setStretch] = useState<Stretch | null>(null);
  const [turned, setTurned] = useState<Record<string, boolean>>({});
  const [told, setTold] = useState<readonly Shown[]>([]);
  const [spectra, setSpectra] = useState<readonly Spectrum[]>([]);
  const over = drawn[0]?.found.about.columns[0];
  const fits = drawn.filter(
    ({ found }) => found.about.columns[0] && over && titled(found.about.columns[0]) === titled(over),
  );
  const others = drawn.filter((one) => !fits.includes(one));
  if (!over) return null;
  const isLog = (title: string, scale: string | undefined): boolean =>
    (scale === "logarithmic") !== (turned[title] ?? false);
  const logarithmic = isLog(titled(over), over.scale);
  const quantities = [
    ...new Map(
      fits.flatMap(({ found }) => found.about.columns.slice(1).map((one) => [titled(one), one] as const)),
    ).values(),
  ];
  const panels: Panel[] = quantities.map((quantity) => ({
    title: titled(quantity),
    logarithmic: isLog(titled(quantity), quantity.scale),
    lines: fits.flatMap(({ key, found }) => {
      const n = found.about.columns.findIndex((one, place) => place > 0 && titled(one) === titled(quantity));
      return n < 0
        ? []
        : [
            {
              key,
              xs: found.values[0] ?? [],
              ys: found.values[n] ?? [],
              ink: drawn.findIndex((one) => one.key === key),
            },
          ];
    }),
    told: told
      .filter((one) => one.title === titled(quantity))
      .map((one): Told => ({ xs: one.xs, ys: one.ys })),
  }));
  const differences = told.filter((one) => one.alone);
  const shownPanels = [
    ...panels,
    ...differences.map((one) => ({
      title: one.title,
      logarithmic: false,
      lines: [{ key: one.title, xs: one.xs, ys: one.ys, ink: 7 }],
    })),
  ];
  const notes = [
    ...fits.flatMap(({ title, found }) =>
      found.about.columns.map((column, n) => {
        const words = leftOut(found, isLog(titled(column), column.scale), n);
        return words && `${title}, ${column.name}: ${words}.`;
      }),
    ),
    ...others.map(
      ({ title, found }) =>
        `${title} is over ${titled(found.about.columns[0] ?? { name: "" })}, not over ${titled(over)}: it is not drawn.`,
    ),
    ...drawn
      .filter(({ found }) => found.about.state === "not whole" || found.about.state === "interrupted")
      .map(
        ({ title, found }) =>
          `${title}: ${found.about.words}${found.about.stray ? ` (“${found.about.stray}”)` : ""}.`,
      ),
  ].filter(Boolean);
  return (
    <>
      {drawn.length > 0 && (
        <Legend aria-label="Drawn curves">
          {drawn.map(({ key, ref, title, found }, ink) => (
            <li key={key}>
              <Swatch ink={ink} theme={theme} /> <b>{title}</b>
              {drawn.length > 1 && <span className="state">{found.about.words}</span>}
              {ref.run && <a href={`/api/runs/${ref.run}/curves/${ref.number}/csv`}>CSV</a>}
              {drawn.length > 1 && (
                <Chip aria-label={`Take ${title} away`} onPress={() => onToggle(ref)}>
                  ×
                </Chip>
              )}
            </li>
          ))}
        </Legend>
      )}
      <div className="tools">
        <Chip
          $chosen={logarithmic}
          aria-pressed={logarithmic}
          onPress={() => setTurned({ ...turned, [titled(over)]: !turned[titled(over)] })}
        >
          {over.name} logarithmic
        </Chip>
        {panels.map((panel) => (
          <Chip
            key={panel.title}
            $chosen={panel.logarithmic}
            aria-pressed={panel.logarithmic}
            onPress={() => setTurned({ ...turned, [panel.title]: !turned[panel.title] })}
          >
            {panel.title} logarithmic
          </Chip>
        ))}
      </div>
      {notes.map((note) => (
        <p className="note" role="status" key={note}>
          {note}
        </p>
      ))}
      <CurvePlot
        theme={theme}
        over={titled(over)}
        logarithmic={logarithmic}
        panels={shownPanels}
        cursor={cursor}
        onCursor={setCursor}
        stretch={stretch}
        onStretch={setStretch}
        height={Math.max(300, 60 + shownPanels.length * 190)}
      />
      <Beside drawn={fits} every={drawn} theme={theme} cursor={cursor} logarithmic={logarithmic} />
      {spectra.map((one) => (
        <SpectrumFigure
          key={one.id}
          one={one}
          theme={theme}
          onClose={() => setSpectra(spectra.filter(({ id }) => id !== one.id))}
        />
      ))}
      <CurveQuestions
        drawn={fits}
        onSpectrum={async (of, place, quantity) => {
          const asked = { body: { of: of.ref, quantity: place } };
          const found = await got(api.POST("/api/curves/spectrum", asked));
          const ink = drawn.findIndex(({ key }) => key === of.key);
          setSpectra(
            [{ id: Date.now(), title: of.title, quantity, ink, told: found }, ...spectra].slice(0, 3),
          );
        }}
        stretch={stretch}
        onStretch={setStretch}
        told={told}
        onTold={setTold}
        titled={titled}
      />
    </>
  );
}

interface BesideProps {
  drawn: readonly Drawn[];
  every: readonly Drawn[];
  theme: Theme;
  cursor: number | null;
  logarithmic: boolean;
}

/** What stands at the cursor. */
function Beside({ drawn, every, theme, cursor, logarithmic }: BesideProps) {
  const [first] = drawn;
  if (!first) return null;
  const columns = first.found.about.columns;
  const rows = atCursor(drawn, cursor, logarithmic);
  if (!rows.length)
    return (
      <p className="state" style={{ fontSize: 12.5, margin: "6px 2px" }}>
        Click into the curve for its numbers; draw over a stretch to ask about it.
      </p>
    );
  return (
    <AtCursor aria-label="At the cursor">
      <thead>
        <tr>
          <th>At the cursor, the nearest row</th>
          {columns.map((one) => (
            <th key={titled(one)}>{titled(one)}</th>
          ))}
        </tr>
      </thead>
      <tbody>
        {rows.map((row, n) => (
          <tr key={row.title + n}>
            <td>
              <Swatch ink={every.findIndex((one) => one.title === row.title)} theme={theme} /> {row.title}
            </td>
            <td>{asSent(row.x)}</td>
            {row.values.map((value, place) => (
              <td key={place}>{value === null ? "–" : asSent(value)}</td>
            ))}
          </tr>
        ))}
      </tbody>
    </AtCursor>
  );
}
