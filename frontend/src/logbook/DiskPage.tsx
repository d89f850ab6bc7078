import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { Link } from "react-router";
import { api, got, said, type Schemas } from "../api/client";
import { useAct } from "../api/useAct";
import { operators } from "../bench/plan";
import { bytes, count, dated } from "../look/format";
import { Button } from "../parts/Button";
import { Fact, Facts } from "../parts/Facts";
import { NumberEntry } from "../parts/NumberEntry";
import { Fields } from "../parts/Select";
import { Actions, Trouble, Window } from "../parts/Window";
import { Sheet, Table } from "./Logbook";
import { Panel } from "./Panel";

type Use = Schemas["DiskUse"];
type Held = Schemas["HeldRun"];

/** Names that are shown before something goes; the rest is counted. */
const NAMED = 12;

/** What the disk holds, and what may be taken out. */
export function DiskPage() {
  const use = useQuery({
    queryKey: ["disk"],
    queryFn: () => got(api.GET("/api/disk")),
    refetchInterval: 10_000,
  });
  return (
    <Sheet>
      <header>
        <div style={{ flex: 1 }}>
          <Link to="/logbook">Logbook</Link>
          <h1>What the disk holds</h1>
        </div>
      </header>
      {use.isError && <Trouble>{use.error.message}</Trouble>}
      {use.isPending && <p role="status">Adding up …</p>}
      {use.data && <WhatIsHeld use={use.data} />}
    </Sheet>
  );
}

const AGES: Record<number, string> = {
  7: "within a week",
  31: "within a month",
  92: "within three months",
  366: "within a year",
};

function WhatIsHeld({ use }: { use: Use }) {
  return (
    <>
      <Facts>
        <Fact name="Free" text={`${bytes(use.free)} of ${bytes(use.total)}`} />
        <Fact name="Runs" text={bytes(use.bytes)} />
        <Fact name="Of that tapes" text={bytes(use.tape_bytes)} />
        <Fact name="Records (database)" text={bytes(use.database_bytes)} />
        <Fact
          name="In the bin"
          text={
            use.bin_runs
              ? `${use.bin_runs === 1 ? "1 run" : `${count(use.bin_runs)} runs`}, ${bytes(use.bin_bytes)}`
              : "nothing"
          }
        />
      </Facts>
      {use.unknown > 0 && (
        <p>{use.unknown === 1 ? "1 run is" : `${count(use.unknown)} runs are`} not counted yet.</p>
      )}
      <section>
        <h2>By age</h2>
        {use.ages.length === 0 ? (
          <p>No run is kept yet.</p>
        ) : (
          <Table aria-label="What runs take, by age">
            <thead>
              <tr>
                <th>Ended</th>
                <th className="number">Runs</th>
                <th className="number">All files</th>
                <th className="number">Of that tapes</th>
              </tr>
            </thead>
            <tbody>
              {use.ages.map((age) => (
                <tr key={age.under_days ?? 0}>
                  <td>{age.under_days == null ? "longer ago" : AGES[age.under_days]}</td>
                  <td className="number">{count(age.runs)}</td>
                  <td className="number">{bytes(age.bytes)}</td>
                  <td className="number">{bytes(age.tape_bytes)}</td>
                </tr>
              ))}
            </tbody>
          </Table>
        )}
      </section>
      <Thinning key={JSON.stringify(use.rule)} rule={use.rule} />
      {use.largest.length > 0 && (
        <section>
          <h2>The largest runs</h2>
          <Table aria-label="The largest runs">
            <thead>
              <tr>
                <th>Run</th>
                <th className="wide">Test item</th>
                <th className="wide">Ended</th>
                <th className="number">All files</th>
                <th className="number">Of that tapes</th>
              </tr>
            </thead>
            <tbody>
              {use.largest.map((run) => (
                <tr key={run.id}>
                  <td>
                    <Link to={`/logbook/${run.id}`}>{run.name}</Link>
                  </td>
                  <td className="wide">{run.item}</td>
                  <td className="wide" style={{ whiteSpace: "nowrap" }}>
                    {dated(run.ended_at / 1000)}
                  </td>
                  <td className="number">{bytes(run.bytes)}</td>
                  <td className="number">{bytes(run.tape_bytes)}</td>
                </tr>
              ))}
            </tbody>
          </Table>
        </section>
      )}
    </>
  );
}

/** Rules for what may be taken out, and what is due by them now. */
function Thinning({ rule }: { rule: Use["rule"] }) {
  const [tapes, setTapes] = useState(rule.tapes_after_days ?? null);
  const [bin, setBin] = useState(rule.bin_after_days ?? null);
  const client = useQueryClient();
  const act = useAct();
  const due = useQuery({
    queryKey: ["disk", "due", rule],
    queryFn: () => got(api.GET("/api/disk/due")),
  });
  const anew = (): Promise<void> => client.invalidateQueries({ queryKey: ["disk"] });
  const changed = tapes !== (rule.tapes_after_days ?? null) || bin !== (rule.bin_after_days ?? null);
  return (
    <Panel aria-label="Make room">
      <h2 style={{ fontSize: 15 }}>Make room</h2>
      <p style={{ color: "var(--quiet)" }}>
        Nothing goes by itself: what is due is named here, and you are asked. Without its tape a run keeps
        CSV, samples and every number; values can no longer be followed to their bytes, and it cannot be read
        again.
      </p>
      <Fields>
        <NumberEntry
          label="Tapes after, days"
          value={tapes}
          onValue={setTapes}
          width={150}
          least={1}
          most={36500}
          whole
          empty
          placeholder="never"
        />
        <NumberEntry
          label="Runs in the bin after, days"
          value={bin}
          onValue={setBin}
          width={190}
          least={1}
          most={36500}
          whole
          empty
          placeholder="never"
        />
        <Button
          style={{ alignSelf: "end" }}
          isDisabled={!changed || act.busy}
          onPress={() =>
            act.run(async () => {
              await got(
                api.PUT("/api/disk/rule", { body: { tapes_after_days: tapes, bin_after_days: bin } }),
              );
              await anew();
            })
          }
        >
          Save the rule
        </Button>
      </Fields>
      {act.trouble && <Trouble>{act.trouble}</Trouble>}
      {due.isError && <Trouble>{due.error.message}</Trouble>}
      {due.data && (
        <>
          <Going
            what="tapes"
            runs={due.data.tapes}
            size={(run) => run.tape_bytes}
            none={rule.tapes_after_days == null ? "" : "No tape is that old."}
            take={async (run) =>
              (
                await got(
                  api.POST("/api/runs/{key}/tape/take-out", {
                    params: { path: { key: run.id } },
                    body: { by: operators()[0] ?? "" },
                  }),
                )
              ).bytes
            }
            onDone={anew}
          />
          <Going
            what="runs"
            runs={due.data.bin}
            size={(run) => run.bytes}
            none={rule.bin_after_days == null ? "" : "No run has been in the bin for that long."}
            take={async (run) => {
              const told = await got(
                api.POST("/api/runs/delete", { body: { runs: [run.id], by: operators()[0] ?? "" } }),
              );
              if (told.troubles[0]) throw new Error(told.troubles[0]);
              return run.bytes;
            }}
            onDone={anew}
          />
        </>
      )}
    </Panel>
  );
}

interface GoingProps {
  what: "tapes" | "runs";
  runs: Held[];
  size: (run: Held) => number;
  none: string;
  /** Has one go; gives the bytes that are free then. */
  take: (run: Held) => Promise<number>;
  onDone: () => Promise<void>;
}

const howMany = (n: number, what: "tapes" | "runs"): string =>
  n === 1 ? `1 ${what.slice(0, -1)}` : `${count(n)} ${what}`;

/** What is due, taken out one after the other when a person has said so. */
function Going({ what, runs, size, none, take, onDone }: GoingProps) {
  const [asking, setAsking] = useState(false);
  const [going, setGoing] = useState<{ done: number; of: number; freed: number } | null>(null);
  const [told, setTold] = useState("");
  const [troubles, setTroubles] = useState<string[]>([]);
  const stop = useRef(false);
  const sum = runs.reduce((all, run) => all + size(run), 0);
  const verb = what === "tapes" ? "Take out" : "Delete";
  const go = async (): Promise<void> => {
    setAsking(false);
    setTroubles([]);
    stop.current = false;
    let [done, freed] = [0, 0];
    for (const [n, run] of runs.entries()) {
      if (stop.current) break;
      setGoing({ done: n, of: runs.length, freed });
      try {
        freed += await take(run);
        done++;
      } catch (error) {
        setTroubles((old) => [...old, `${run.name}: ${said(error as Error)}`]);
      }
    }
    setGoing(null);
    setTold(`${howMany(done, what)} went, ${bytes(freed)} are free.`);
    await onDone();
  };
  if (!runs.length && !none && !told && !troubles.length) return null;
  return (
    <div style={{ display: "grid", gap: 8, justifyItems: "start" }}>
      {going ? (
        <p role="status" style={{ display: "flex", gap: 12, alignItems: "center" }}>
          {going.done} of {howMany(going.of, what)}, {bytes(going.freed)} freed …
          <Button onPress={() => (stop.current = true)}>Stop</Button>
        </p>
      ) : runs.length > 0 ? (
        <Button onPress={() => setAsking(true)}>
          {verb} {howMany(runs.length, what)}, {bytes(sum)} …
        </Button>
      ) : (
        none && <p>{none}</p>
      )}
      {told && !going && <p role="status">{told}</p>}
      {troubles.map((one) => (
        <Trouble key={one}>{one}</Trouble>
      ))}
      {asking && (
        <Window
          title={`${verb} ${howMany(runs.length, what)} for good?`}
          open
          asks
          onClose={() => setAsking(false)}
        >
          <ul style={{ margin: 0, paddingLeft: 18 }}>
            {runs.slice(0, NAMED).map((run) => (
              <li key={run.id} style={{ overflowWrap: "anywhere" }}>
                {[run.name, run.item].filter(Boolean).join(", ")}: {bytes(size(run))}
              </li>
            ))}
          </ul>
          {runs.length > NAMED && <p>and {count(runs.length - NAMED)} more</p>}
          <p>
            {what === "tapes"
              ? "Each is compared with its seal first; what differs stays. Values of these runs can no longer be followed to their bytes, and they cannot be read again."
              : "Folder, CSV, samples, tape and records go. Nothing brings them back."}
          </p>
          <Actions>
            <Button onPress={() => setAsking(false)}>Cancel</Button>
            <Button $kind="bright" onPress={() => void go()}>
              {verb} {howMany(runs.length, what)}
            </Button>
          </Actions>
        </Window>
      )}
    </div>
  );
}
