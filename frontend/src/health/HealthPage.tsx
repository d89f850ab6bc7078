import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import styled from "styled-components";
import { api, got, type Health } from "../api/client";
import { moment } from "../look/format";
import { mono } from "../look/theme";
import { Sheet, Table } from "../logbook/Logbook";
import { BeadShape } from "../parts/ReadingPath";
import { Fact, Facts } from "../parts/Facts";
import { Trouble } from "../parts/Window";
import { DatabaseQuestion } from "./DatabaseQuestion";

const EVERY = 2000;

const Row = styled.tr`
  td:first-child {
    width: 1%;
    white-space: nowrap;
    font-weight: 600;
  }
  td:nth-child(2) {
    width: 1%;
    white-space: nowrap;
  }
  svg {
    vertical-align: -1px;
    margin-right: 7px;
  }
  &[data-well="false"] td {
    color: var(--fault);
    font-weight: 600;
  }
`;

const H2 = styled.h2`
  font-size: 15px;
  margin-bottom: 6px;
`;

const Said = styled.li`
  padding: 9px 14px;
  border-bottom: 1px solid var(--ruling);
  &:last-child {
    border-bottom: 0;
  }
  .head {
    display: flex;
    gap: 14px;
    font-size: 12.5px;
    color: var(--quiet);
  }
  .level {
    font-weight: 700;
    color: var(--fault);
  }
  &[data-level="warning"] .level {
    color: var(--ink);
  }
  p {
    margin: 2px 0 0;
    overflow-wrap: anywhere;
  }
  summary {
    cursor: pointer;
    color: var(--action);
    font-size: 13px;
  }
  pre {
    margin: 4px 0 0;
    font: 12px/1.45 ${mono};
    white-space: pre-wrap;
    overflow-wrap: anywhere;
  }
`;

const List = styled.ol`
  list-style: none;
  margin: 0;
  padding: 0;
  background: var(--panel);
  border: 1px solid var(--hairline);
  border-radius: var(--radius);
`;

const PARTS: [keyof Health & ("recorder" | "database" | "clerk" | "links" | "disk" | "copies"), string][] = [
  ["recorder", "Recorder"],
  ["links", "Links"],
  ["disk", "Disk"],
  ["copies", "Copies"],
  ["database", "Database"],
  ["clerk", "Records"],
];

/** The page about the bench itself: what runs, what does not, and what was logged about it. */
export function HealthPage() {
  const health = useQuery({
    queryKey: ["health"],
    queryFn: () => got(api.GET("/api/health")),
    refetchInterval: EVERY,
    retry: false,
  });
  const found = health.data;
  return (
    <Sheet>
      <header>
        <h1>Health</h1>
      </header>
      {health.error && <Trouble>{health.error.message}</Trouble>}
      {!found && !health.error && <p>Asking the bench …</p>}
      {found && (
        <>
          <section>
            <Table aria-label="Parts of the bench">
              <tbody>
                {PARTS.map(([key, name]) => (
                  <Row key={key} data-well={found[key].well}>
                    <td>{name}</td>
                    <td>
                      <BeadShape state={found[key].well ? "passing" : "stopped"} />
                      {found[key].well ? "well" : "not well"}
                    </td>
                    <td>
                      {found[key].words}
                      {key === "links" && !found[key].well && (
                        <>
                          {" "}
                          <Link to="/instruments">Look at the instruments</Link>
                        </>
                      )}
                    </td>
                  </Row>
                ))}
              </tbody>
            </Table>
          </section>
          {found.question && <DatabaseQuestion question={found.question} />}
          <section>
            <H2>Last warnings and errors</H2>
            {found.errors.length === 0 ? (
              <p>None since the processes were started.</p>
            ) : (
              <List aria-label="Last warnings and errors">
                {found.errors.map((one, index) => (
                  <Said key={index} data-level={one.level}>
                    <div className="head">
                      <span className="level">{one.level}</span>
                      <span>{moment(one.at / 1000)}</span>
                      <span>{one.process}</span>
                      {one.where !== one.process && <span>{one.where}</span>}
                    </div>
                    <p>{one.message}</p>
                    {one.detail && (
                      <details>
                        <summary>Traceback</summary>
                        <pre>{one.detail}</pre>
                      </details>
                    )}
                  </Said>
                ))}
              </List>
            )}
          </section>
          <Facts aria-label="Versions">
            <Fact name="Recorder" text={found.versions.recorder || "not known"} />
            <Fact name="Web server" text={found.versions.web_server} />
            <Fact name="PostgreSQL" text={found.versions.database || "not known"} />
            <Fact name="Python" text={found.versions.python} />
            <div>
              <dt>Logs</dt>
              <dd>
                <code>{found.logs}</code>
              </dd>
            </div>
          </Facts>
        </>
      )}
    </Sheet>
  );
}
