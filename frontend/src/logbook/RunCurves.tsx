import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, got } from "../api/client";
import { dated } from "../look/format";
import { Table } from "./Logbook";

/** The curves that were drawn in this run. */
export function RunCurves({ run }: { run: string }) {
  const found = useQuery({
    queryKey: ["run curves", run],
    queryFn: () => got(api.GET("/api/runs/{key}/curves", { params: { path: { key: run } } })),
  });
  if (!found.data?.length) return null;
  return (
    <section aria-label="Curves">
      <h2 style={{ fontSize: 15, marginBottom: 6 }}>Curves</h2>
      <Table aria-label="Curves">
        <tbody>
          {found.data.map((one) => (
            <tr key={one.number}>
              <td style={{ whiteSpace: "nowrap" }}>{dated(one.begun_at / 1000)}</td>
              <td>
                <Link to={`/curves?show=${run}.${one.number}`}>{one.name}</Link>
              </td>
              <td>{one.instrument_name}</td>
              <td>{one.words}</td>
              <td className="number">
                <a href={`/api/runs/${run}/curves/${one.number}/csv`}>CSV</a>
              </td>
            </tr>
          ))}
        </tbody>
      </Table>
    </section>
  );
}
