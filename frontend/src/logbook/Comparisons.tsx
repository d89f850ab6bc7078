import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, got, type Schemas } from "../api/client";
import { useAct } from "../api/useAct";
import { dated } from "../look/format";
import { Chip } from "../parts/Button";
import { Trouble } from "../parts/Window";
import { letterOf } from "./compared";
import { Table } from "./Logbook";

type Kept = Schemas["KeptComparison"];

/** The address of a comparison as it was. */
const addressOf = (kept: Kept): string =>
  `/logbook/compare?runs=${kept.members.map(({ run }) => run).join(",")}&at=${kept.members.map(({ at }) => at).join(",")}`;

/** Comparisons that are kept with a run; nothing where none is. */
export function Comparisons({ run }: { run: string }) {
  const act = useAct();
  const client = useQueryClient();
  const path = { key: run };
  const found = useQuery({
    queryKey: ["comparisons", run],
    queryFn: () => got(api.GET("/api/runs/{key}/comparisons", { params: { path } })),
    retry: false,
  });
  if (!found.data?.length) return null;
  return (
    <section>
      <h2 style={{ fontSize: 15, marginBottom: 6 }}>Kept comparisons</h2>
      <Table aria-label="Kept comparisons">
        <tbody>
          {found.data.map((kept) => (
            <tr key={kept.number}>
              <td style={{ whiteSpace: "nowrap" }}>{dated(kept.kept_at / 1000)}</td>
              <td style={{ overflowWrap: "anywhere" }}>
                {kept.answers.map(({ place, answer }) => (
                  <div key={place}>
                    {letterOf(place)} {kept.members[place]?.name}: {answer.words}
                  </div>
                ))}
                {!kept.answers.length && kept.members.map(({ name }) => name).join(", ")}
                {kept.note && <div style={{ color: "var(--quiet)" }}>{kept.note}</div>}
              </td>
              <td style={{ whiteSpace: "nowrap" }}>
                <Link to={addressOf(kept)}>Open</Link>{" "}
                <a
                  href={`/api/runs/${run}/comparisons/${kept.number}/report`}
                  target="_blank"
                  rel="noreferrer"
                  style={{ marginLeft: 10 }}
                >
                  Report
                </a>
              </td>
              <td style={{ textAlign: "right" }}>
                <Chip
                  isDisabled={act.busy}
                  onPress={() =>
                    act.run(async () => {
                      await got(
                        api.DELETE("/api/runs/{key}/comparisons/{number}", {
                          params: { path: { ...path, number: kept.number } },
                        }),
                      );
                      await client.invalidateQueries({ queryKey: ["comparisons", run] });
                    })
                  }
                >
                  Remove
                </Chip>
              </td>
            </tr>
          ))}
        </tbody>
      </Table>
      {act.trouble && <Trouble>{act.trouble}</Trouble>}
    </section>
  );
}
