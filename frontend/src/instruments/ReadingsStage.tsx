import styled from "styled-components";
import type { PreviewRow } from "../api/client";
import { clockMilli } from "../look/format";
import { mono } from "../look/theme";
import { ControlText } from "../parts/ControlText";
import { escaped } from "../parts/escapes";
import type { StageProps } from "./SetupPage";

const Pattern = styled.label`
  display: grid;
  gap: 4px;
  font-size: 12.5px;
  color: var(--quiet);
  textarea {
    font: 600 14px/1.6 ${mono};
    color: var(--ink);
    padding: 8px 12px;
    border: 1px solid var(--hairline);
    border-radius: var(--radius);
    background: var(--ground);
    resize: vertical;
    min-height: 44px;
  }
`;

const Table = styled.div`
  max-height: 250px;
  overflow: auto;
  table {
    width: 100%;
    border-collapse: collapse;
    font-size: 13px;
  }
  th {
    text-align: left;
    color: var(--quiet);
    font-weight: 600;
    position: sticky;
    top: 0;
    background: var(--panel);
  }
  th,
  td {
    padding: 5px 14px 5px 0;
    border-bottom: 1px solid var(--ruling);
    vertical-align: top;
  }
  .wire {
    font-family: ${mono};
    white-space: pre-wrap;
    overflow-wrap: anywhere;
  }
  .why {
    color: var(--fault);
  }
`;

const NONE = "no message pattern yet";
const rowsOf = (patterns: string[]): number => Math.max(1, patterns.length);
const split = (text: string): string[] => text.split("\n").filter((line) => line.trim() !== "");

/** The patterns, and what they make of the last messages, before anything is kept. */
export function ReadingsStage({ setup, change, rows }: StageProps & { rows: PreviewRow[] }) {
  const names = [...new Set(rows.flatMap((row) => Object.keys(row.fields)))];
  const listening = setup.instrument.talks !== "when asked";
  const good = rows.filter((row) => !row.why).length;
  return (
    <>
      <p style={{ color: "var(--quiet)" }}>
        A pattern looks like the message, with what changes in angle brackets: FL=&lt;flow [L/min]&gt; L/min
        &lt;state:word&gt;. Several, one a line, are tried in order.
      </p>
      {listening ? (
        <Pattern>
          Message patterns
          <textarea
            spellCheck={false}
            rows={rowsOf(setup.listen?.patterns ?? [])}
            defaultValue={(setup.listen?.patterns ?? []).join("\n")}
            onChange={(event) =>
              change({
                listen: { every_s: setup.listen?.every_s ?? null, patterns: split(event.target.value) },
              })
            }
          />
        </Pattern>
      ) : (
        setup.query.map((query) => (
          <Pattern key={query.id}>
            Patterns of the answers to {escaped(query.send)}
            <textarea
              spellCheck={false}
              rows={rowsOf(query.patterns)}
              defaultValue={query.patterns.join("\n")}
              onChange={(event) =>
                change({
                  query: setup.query.map((one) =>
                    one.id === query.id ? { ...one, patterns: split(event.target.value) } : one,
                  ),
                })
              }
            />
          </Pattern>
        ))
      )}
      {rows.length === 0 ? (
        <p style={{ color: "var(--quiet)" }}>No message has come yet that could be shown here.</p>
      ) : (
        <Table tabIndex={0} aria-label="The last messages" data-testid="preview">
          <table>
            <thead>
              <tr>
                <th>At</th>
                <th>
                  Message ({good} of {rows.length} understood)
                </th>
                {names.map((name) => (
                  <th key={name}>{name}</th>
                ))}
              </tr>
            </thead>
            <tbody>
              {rows.slice(0, 60).map((row, index) => (
                <tr key={`${row.at} ${index}`}>
                  <td style={{ whiteSpace: "nowrap" }}>{clockMilli(row.at / 1000)}</td>
                  <td className="wire">
                    <ControlText text={row.message} />
                  </td>
                  {row.why ? (
                    <td className={row.why === NONE ? undefined : "why"} colSpan={Math.max(1, names.length)}>
                      {row.why === NONE ? "" : row.why}
                    </td>
                  ) : (
                    names.map((name) => (
                      <td key={name}>
                        <b>{row.fields[name] ?? ""}</b>
                      </td>
                    ))
                  )}
                </tr>
              ))}
            </tbody>
          </table>
        </Table>
      )}
    </>
  );
}
