import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { api, got, type RunDetail, type Schemas } from "../api/client";
import { dated } from "../look/format";
import { Chip } from "../parts/Button";
import { Field } from "../parts/Field";
import { FEW, useFew } from "../parts/useFew";
import { Trouble } from "../parts/Window";
import { Table } from "./Logbook";
import { LaterMarkWindow, type Mark } from "./LaterMarkWindow";

/** The marks of a run. Of one that has ended they are set and corrected here; the seal does not cover that, its history tells it. */
export function RunMarks({ run }: { run: RunDetail }) {
  const [open, setOpen] = useState<Mark | "new" | null>(null);
  const [told, setTold] = useState(false);
  const client = useQueryClient();
  const close = (): void => {
    setOpen(null);
    void client.invalidateQueries({ queryKey: ["run"] });
    void client.invalidateQueries({ queryKey: ["marks", run.id] });
  };
  const ended = run.ended_at != null;
  const [search, setSearch] = useState("");
  const found = useMemo(() => marksWith(run.marks, search), [run.marks, search]);
  const { few, more } = useFew(found);
  return (
    <section>
      <header style={{ display: "flex", flexWrap: "wrap", alignItems: "center", gap: 8, marginBottom: 6 }}>
        <h2 style={{ margin: 0, flex: 1 }}>Marks</h2>
        {ended && <Chip onPress={() => setOpen("new")}>set a mark</Chip>}
        {ended && (
          <Chip onPress={() => setTold(!told)} aria-expanded={told}>
            {told ? "hide the history" : "history"}
          </Chip>
        )}
      </header>
      {run.marks.length === 0 ? (
        <p>{ended ? "No mark was set." : "No mark yet. M sets one."}</p>
      ) : (
        <>
          {run.marks.length > FEW && (
            <div style={{ maxWidth: 420, marginBottom: 8 }}>
              <Field label="Find in the marks" value={search} onChange={setSearch} longest={100} />
            </div>
          )}
          {!found.length && <p>No mark has these words.</p>}
          <Table aria-label="Marks">
            <tbody>
              {few.map((mark) => (
                <tr key={mark.at}>
                  <td style={{ whiteSpace: "nowrap" }}>{dated(mark.at / 1000)}</td>
                  <td>{mark.text}</td>
                  <td className="wide">{mark.by}</td>
                  {ended && (
                    <td style={{ textAlign: "right" }}>
                      <Chip aria-label={`correct ${mark.text}`} onPress={() => setOpen(mark)}>
                        correct
                      </Chip>
                    </td>
                  )}
                </tr>
              ))}
            </tbody>
          </Table>
          {more}
        </>
      )}
      {told && <History run={run.id} />}
      {open && <LaterMarkWindow run={run} mark={open === "new" ? null : open} onClose={close} />}
    </section>
  );
}

/** Marks that have all these words, in their text or their person. */
function marksWith(marks: readonly Mark[], search: string): readonly Mark[] {
  const words = search.toLowerCase().split(/\s+/).filter(Boolean);
  if (!words.length) return marks;
  return marks.filter(({ text, by }) => {
    const told = `${text} ${by}`.toLowerCase();
    return words.every((word) => told.includes(word));
  });
}

function History({ run }: { run: string }) {
  const found = useQuery({
    queryKey: ["marks", run],
    queryFn: () => got(api.GET("/api/runs/{key}/marks/history", { params: { path: { key: run } } })),
  });
  if (found.isError) return <Trouble>{found.error.message}</Trouble>;
  if (!found.data) return <p role="status">Reading the tape …</p>;
  if (!found.data.length) return <p>No mark was corrected, and none set after the end.</p>;
  return <Changes changes={found.data} />;
}

function Changes({ changes }: { changes: Schemas["MarkChange"][] }) {
  const { few, more } = useFew(changes);
  return (
    <>
      <Table aria-label="History of the marks" style={{ marginTop: 8 }}>
        <tbody>
          {few.map((one, index) => (
            <tr key={index}>
              <td style={{ whiteSpace: "nowrap" }}>{dated(one.written_at / 1000)}</td>
              <td>
                {one.void
                  ? `taken out: ${one.text}`
                  : one.before
                    ? `${one.before} → ${one.text}`
                    : `set for ${dated(one.at / 1000)}: ${one.text}`}
              </td>
              <td className="wide">{one.by}</td>
            </tr>
          ))}
        </tbody>
      </Table>
      {more}
    </>
  );
}
