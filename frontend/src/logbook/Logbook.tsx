import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { VisuallyHidden } from "react-aria-components";
import { Link } from "react-router";
import styled from "styled-components";
import { api, got, type RunRow } from "../api/client";
import { count, length, moment } from "../look/format";
import { Button, ChipLink } from "../parts/Button";
import { Field } from "../parts/Field";
import { tableLooks } from "../parts/tableLooks";
import { Trouble } from "../parts/Window";

const PAGE = 50;
/** Runs that are laid over each other. */
const MOST = 12;

export const Sheet = styled.main`
  max-width: 1256px;
  margin: 0 auto;
  padding: 4px 12px 24px;
  display: grid;
  gap: 12px;
  header {
    display: flex;
    align-items: end;
    gap: 24px;
    flex-wrap: wrap;
  }
  h1 {
    font-size: 22px;
  }
`;

export const Table = styled.table`
  ${tableLooks}
  th {
    text-align: left;
    font-size: 12.5px;
    color: var(--quiet);
    font-weight: 600;
  }
  th,
  td {
    padding: 9px 14px;
    border-bottom: 1px solid var(--ruling);
    vertical-align: baseline;
  }
  tbody tr:last-child td {
    border-bottom: 0;
  }
  tbody tr:hover td {
    background: var(--ruling);
  }
  .number {
    text-align: right;
    white-space: nowrap;
  }
  td a {
    font-weight: 600;
  }
  @media (max-width: 719px) {
    .wide {
      display: none;
    }
    th,
    td {
      padding: 9px 8px;
    }
  }
`;

/** Its label beside the field, on the heading's line. */
const Search = styled.div`
  flex: 0 1 560px;
  margin-left: auto;
  > * {
    grid-template-columns: auto minmax(150px, 1fr);
    align-items: center;
    gap: 10px;
  }
  @media (max-width: 719px) {
    flex-basis: 100%;
    > * {
      grid-template-columns: minmax(0, 1fr);
    }
  }
`;

const statusWords = (run: RunRow): string => {
  if (run.status === "logging") return "logging now";
  return run.status === "interrupted" ? "interrupted" : "ended";
};

/** All runs, newest first. */
export function Logbook() {
  const [search, setSearch] = useState("");
  const [offset, setOffset] = useState(0);
  const [chosen, setChosen] = useState<string[]>([]);
  const choose = (id: string, on: boolean): void =>
    setChosen((old) => (on ? [...old, id] : old.filter((one) => one !== id)));
  const runs = useQuery({
    queryKey: ["runs", search, offset],
    queryFn: () => got(api.GET("/api/runs", { params: { query: { search, offset, limit: PAGE } } })),
    refetchInterval: 3000,
    placeholderData: keepPreviousData,
  });
  return (
    <Sheet>
      <header style={{ alignItems: "center" }}>
        <h1>Logbook</h1>
        <Search>
          <Field
            label="Find by name, test item or operator"
            value={search}
            onChange={(text) => {
              setSearch(text);
              setOffset(0);
            }}
            longest={100}
          />
        </Search>
        {chosen.length > 0 && (
          <ChipLink as={Link} to={`/logbook/compare?runs=${chosen.join(",")}`}>
            {chosen.length === 1 ? "Compare this run …" : `Compare ${chosen.length} runs`}
          </ChipLink>
        )}
      </header>
      {runs.isError && <Trouble>{runs.error.message}</Trouble>}
      {runs.isPending && <p role="status">Opening the logbook …</p>}
      {runs.data?.total === 0 && (
        <p>
          {search
            ? `No run has “${search}” in its name, test item or operator.`
            : "Every run you log is kept here. "}
          {!search && <Link to="/">Begin one on the Bench.</Link>}
        </p>
      )}
      {!!runs.data?.runs.length && (
        <Table aria-label="Runs">
          <thead>
            <tr>
              <th>
                <VisuallyHidden>Compare</VisuallyHidden>
              </th>
              <th>Begun</th>
              <th>Run</th>
              <th className="wide">Test item</th>
              <th className="wide">Operator</th>
              <th className="number wide">Length</th>
              <th className="number wide">Samples</th>
              <th>State</th>
            </tr>
          </thead>
          <tbody>
            {runs.data.runs.map((run) => (
              <tr key={run.id}>
                <td style={{ paddingRight: 0 }}>
                  <input
                    type="checkbox"
                    aria-label={`Compare ${run.name}`}
                    style={{ width: 18, height: 18, accentColor: "var(--action)", verticalAlign: "-4px" }}
                    checked={chosen.includes(run.id)}
                    disabled={run.ended_at === null || (chosen.length >= MOST && !chosen.includes(run.id))}
                    onChange={(event) => choose(run.id, event.target.checked)}
                  />
                </td>
                <td style={{ whiteSpace: "nowrap" }}>{moment(run.begun_at / 1000)}</td>
                <td>
                  <Link to={`/logbook/${run.id}`}>{run.name}</Link>
                </td>
                <td className="wide">{run.item}</td>
                <td className="wide">{run.operator}</td>
                <td className="number wide">
                  {run.ended_at ? length((run.ended_at - run.begun_at) / 1000) : "–"}
                </td>
                <td className="number wide">{count(run.samples)}</td>
                <td title={run.reason}>{statusWords(run)}</td>
              </tr>
            ))}
          </tbody>
        </Table>
      )}
      {!!runs.data && runs.data.total > PAGE && (
        <div style={{ display: "flex", gap: 10, alignItems: "center" }}>
          <Button isDisabled={offset === 0} onPress={() => setOffset(Math.max(0, offset - PAGE))}>
            Newer
          </Button>
          <Button isDisabled={offset + PAGE >= runs.data.total} onPress={() => setOffset(offset + PAGE)}>
            Older
          </Button>
          <span>
            {offset + 1} to {Math.min(offset + PAGE, runs.data.total)} of {runs.data.total}
          </span>
        </div>
      )}
    </Sheet>
  );
}
