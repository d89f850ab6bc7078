import { useQuery } from "@tanstack/react-query";
import { api, got, type Schemas } from "../api/client";
import { dated } from "../look/format";
import { Trouble } from "../parts/Window";
import { Table } from "./Logbook";

type Said = Schemas["Said"];

const WORDS: [Exclude<keyof Said, "fields">, string][] = [
  ["name", "Name"],
  ["item", "Test item"],
  ["operator", "Operator"],
  ["order", "Order number"],
  ["notes", "Notes"],
];

/** What differs: what it is called, before, now. */
export function differences(before: Said, after: Said): [string, string, string][] {
  const keys = [...new Set([...Object.keys(before.fields ?? {}), ...Object.keys(after.fields ?? {})])];
  return [
    ...WORDS.map(([key, words]): [string, string, string] => [words, before[key] ?? "", after[key] ?? ""]),
    ...keys.map((key): [string, string, string] => [
      key,
      before.fields?.[key] ?? "",
      after.fields?.[key] ?? "",
    ]),
  ].filter(([, old, now]) => old !== now);
}

/** What was corrected of what is said of a run; nothing where nothing was. */
export function Corrections({ run }: { run: string }) {
  const found = useQuery({
    queryKey: ["said", run],
    queryFn: () => got(api.GET("/api/runs/{key}/said/history", { params: { path: { key: run } } })),
    retry: false,
  });
  if (found.isError) return <Trouble>{found.error.message}</Trouble>;
  if (!found.data) return <p role="status">Looking for corrections …</p>;
  if (!found.data.length) return <p>Nothing was corrected since the end.</p>;
  return (
    <Table aria-label="Corrections">
      <thead>
        <tr>
          <th>Corrected</th>
          <th>What</th>
          <th>Before</th>
          <th>Now</th>
          <th className="wide">By, why</th>
        </tr>
      </thead>
      <tbody>
        {found.data.flatMap((change) =>
          differences(change.before, change.said).map(([words, old, now], n) => (
            <tr key={`${change.written_at} ${words}`}>
              <td style={{ whiteSpace: "nowrap" }}>{n === 0 && dated(change.written_at / 1000)}</td>
              <td>{words}</td>
              <td style={{ overflowWrap: "anywhere" }}>{old || "–"}</td>
              <td style={{ overflowWrap: "anywhere", fontWeight: 600 }}>{now || "–"}</td>
              <td className="wide">{n === 0 && [change.by, change.why].filter(Boolean).join(": ")}</td>
            </tr>
          )),
        )}
      </tbody>
    </Table>
  );
}
