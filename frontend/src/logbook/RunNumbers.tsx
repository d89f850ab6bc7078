import type { RunDetail, Schemas } from "../api/client";
import { count, figure, length, moment } from "../look/format";
import { Trouble } from "../parts/Window";
import { Table } from "./Logbook";
import type { Selection } from "./useSelection";

/** Statistics of a stretch of a run, exact from its samples. */
export function RunNumbers({ run, selection }: { run: RunDetail; selection: Selection }) {
  const { of, start, end, statistics, settled, trouble } = selection;
  return (
    <section>
      <header style={{ alignItems: "baseline", gap: 12, marginBottom: 6 }}>
        <h2 style={{ fontSize: 15 }}>Numbers {of}</h2>
        <span style={{ color: "var(--quiet)", fontSize: 13 }}>
          {moment(start)} to {moment(end)}, {length(end - start)}
          {!settled && ": being worked out …"}
        </span>
      </header>
      {trouble && <Trouble>{trouble}</Trouble>}
      <Table aria-label="Numbers">
        <thead>
          <tr>
            <th>Channel</th>
            <th className="number">Mean</th>
            <th className="number">Minimum</th>
            <th className="number">Maximum</th>
            <th className="number wide">Std deviation</th>
            <th className="number wide">Slope per hour</th>
            <th className="number wide">Measured</th>
          </tr>
        </thead>
        <tbody style={{ opacity: settled ? 1 : 0.5 }}>
          {run.numbers.map((one) => (
            <Row key={one.number} channel={one} found={statistics.get(one.number)} />
          ))}
        </tbody>
      </Table>
    </section>
  );
}

function Row({
  channel,
  found,
}: {
  channel: RunDetail["numbers"][number];
  found: Schemas["Statistics"] | undefined;
}) {
  const { name, unit, decimals } = channel;
  const cell = (value: number | null | undefined, digits: number): string =>
    value == null ? "–" : figure(value, digits);
  return (
    <tr>
      <td>
        {name}
        {unit && `, ${unit}`}
      </td>
      {[found?.mean, found?.minimum, found?.maximum].map((value, index) => (
        <td className="number" key={index}>
          {cell(value, decimals)}
        </td>
      ))}
      {channel.states.length > 0 ? (
        <td className="wide" colSpan={2} style={{ textAlign: "right" }}>
          {stateCounts(found)}
        </td>
      ) : (
        <>
          <td className="number wide">{cell(found?.sd, decimals + 2)}</td>
          <td className="number wide">{cell(found?.slope_per_h, decimals + 1)}</td>
        </>
      )}
      <td className="number wide">{found ? `${count(found.measured)} of ${count(found.samples)}` : "–"}</td>
    </tr>
  );
}

/** How many samples of each word, of a channel of states. */
function stateCounts(found: Schemas["Statistics"] | undefined): string {
  const words = Object.entries(found?.states ?? {}).map(([word, samples]) => `${word} ${count(samples)}`);
  return words.join(", ") || "–";
}
