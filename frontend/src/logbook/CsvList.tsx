import type { RunDetail } from "../api/client";
import { bytes, dated } from "../look/format";
import { Table } from "./Logbook";

/** The files of a run’s CSV, where there are several. */
export function CsvList({ run }: { run: RunDetail }) {
  return (
    <section id="csv">
      <h2>The CSV’s {run.csv_files.length} files</h2>
      <Table aria-label="Files of the CSV">
        <thead>
          <tr>
            <th>File</th>
            <th>From</th>
            <th className="number">Size</th>
          </tr>
        </thead>
        <tbody>
          {run.csv_files.map((file) => (
            <tr key={file.name}>
              <td>
                <a href={`/api/runs/${run.id}/csv?file=${file.number}`} download={file.name}>
                  {file.name}
                </a>
              </td>
              <td>{file.first_at ? dated(file.first_at / 1000) : "–"}</td>
              <td className="number">{bytes(file.bytes)}</td>
            </tr>
          ))}
        </tbody>
      </Table>
    </section>
  );
}
