import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import styled from "styled-components";
import { api, got, type Schemas } from "../api/client";
import { useAct } from "../api/useAct";
import { dated } from "../look/format";
import { Chip } from "../parts/Button";
import { Trouble } from "../parts/Window";
import { letterOf } from "./compared";

type Kept = Schemas["KeptComparison"];

const List = styled.ul`
  list-style: none;
  margin: 0;
  padding: 0;
  border: 1px solid var(--hairline);
  border-radius: var(--radius);
  background: var(--panel);
  li {
    display: flex;
    flex-wrap: wrap;
    justify-content: space-between;
    gap: 8px 20px;
    padding: 9px 14px;
    overflow-wrap: anywhere;
    & + li {
      border-top: 1px solid var(--ruling);
    }
  }
  span {
    display: flex;
    gap: 14px;
    align-items: start;
  }
  .quiet {
    color: var(--quiet);
    font-size: 13px;
  }
`;

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
      <List aria-label="Kept comparisons">
        {found.data.map((kept) => (
          <li key={kept.number}>
            <div>
              {kept.answers.map(({ place, answer }) => (
                <div key={place}>
                  {letterOf(place)} {kept.members[place]?.name}: {answer.words}
                </div>
              ))}
              {!kept.answers.length && kept.members.map(({ name }) => name).join(", ")}
              {kept.note && <div className="quiet">{kept.note}</div>}
              <div className="quiet">{[dated(kept.kept_at / 1000), kept.by].filter(Boolean).join(", ")}</div>
            </div>
            <span>
              <Link to={addressOf(kept)}>Open</Link>
              <a href={`/api/runs/${run}/comparisons/${kept.number}/report`} target="_blank" rel="noreferrer">
                Report
              </a>
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
            </span>
          </li>
        ))}
      </List>
      {act.trouble && <Trouble>{act.trouble}</Trouble>}
    </section>
  );
}
