import { useState } from "react";
import { Button as Head } from "react-aria-components";
import styled from "styled-components";
import { api, got, type Schemas, type Setup } from "../api/client";
import { useAct } from "../api/useAct";
import { dated } from "../look/format";
import { Button, Chip } from "../parts/Button";
import { BytesEntry } from "../parts/BytesEntry";
import { Fold } from "../parts/Fold";
import { NumberEntry } from "../parts/NumberEntry";
import { Entry, Fields, Select } from "../parts/Select";
import { Tick } from "../parts/Tick";
import { Trouble } from "../parts/Trouble";
import { freeId } from "./commandDraft";
import { Card, CardRow } from "./StageCard";

type CurvePart = Schemas["CurvePart"];
type TableFound = Schemas["TableFound"];

const Row = styled(CardRow)`
  .quiet {
    color: var(--quiet);
  }
  .found {
    border-top: 1px solid var(--ruling);
    padding: 8px 0;
  }
  .found pre {
    margin: 4px 0;
    font:
      600 13px/1.5 "Atkinson Hyperlegible Mono Variable",
      monospace;
    overflow-x: auto;
  }
  .found ul {
    margin: 4px 0 8px;
    padding-left: 18px;
    color: var(--quiet);
    font-size: 13px;
  }
`;

export interface CurvesCardProps {
  setup: Setup;
  change: (changes: Partial<Setup>) => void;
  instrumentKey: string;
  open: boolean;
  onOpen: () => void;
}

/** The tables that an instrument sends: each becomes a curve. */
export function CurvesCard({ setup, change, instrumentKey, open, onOpen }: CurvesCardProps) {
  const { curve: curves } = setup;
  const [found, setFound] = useState<readonly TableFound[] | null>(null);
  const { run, trouble, busy } = useAct();
  const set = (index: number, curve: CurvePart): void =>
    change({ curve: curves.map((one, n) => (n === index ? curve : one)) });
  const remove = (curve: CurvePart): void =>
    change({
      curve: curves.filter((one) => one !== curve),
      command: setup.command.map((one) => (one.starts === curve.id ? { ...one, starts: "" } : one)),
    });
  const look = (): void =>
    run(async () => {
      const asked = {
        params: { path: { key: instrumentKey } },
        body: { changes: { framing: setup.framing } },
      };
      setFound(await got(api.POST("/api/instruments/{key}/tables", asked)));
    });
  const take = ({ part }: TableFound): void => {
    change({
      curve: [
        ...curves,
        {
          ...part,
          id: freeId(
            part.id,
            curves.map(({ id }) => id),
          ),
        },
      ],
    });
    setFound(null);
  };
  return (
    <Row>
      <Card $open={open} $bad={false} data-testid="curves">
        <Head className="head" onPress={onOpen} aria-expanded={open}>
          <h2>Curves</h2>
          <span className="summary">{curves.map((one) => one.name).join(", ") || "none"}</span>
        </Head>
        {open && (
          <div className="body">
            <p className="quiet">
              A table that comes as messages, a row each: a sweep, a characteristic. Its rows are no readings
              of channels; they are drawn over their own axis and kept with the run.
            </p>
            <div style={{ minWidth: 0 }}>
              {curves.map((one, index) => (
                <Fold
                  key={one.id}
                  title={one.name}
                  summary={one.block ? "a block" : one.row}
                  open={curves.length === 1}
                >
                  <CurveFields
                    curve={one}
                    onCurve={(curve) => set(index, curve)}
                    onRemove={() => remove(one)}
                  />
                </Fold>
              ))}
            </div>
            <div>
              <Button onPress={look} isDisabled={busy}>
                Look for tables in what came
              </Button>
            </div>
            {trouble && <Trouble>{trouble}</Trouble>}
            {found?.length === 0 && (
              <p role="status">
                No table is among the last messages: five rows or more, one after the other, with the same
                number of figures, the first of which only rises or only falls. Have the instrument send one,
                with a command or its key, and look again.
              </p>
            )}
            {found?.map((one) => (
              <div key={one.part.row + one.at} className="found" role="group" aria-label="Table found">
                <b>
                  {one.rows} rows at {dated(one.at / 1000)}
                </b>
                <pre>
                  {one.first.join("\n")}
                  {one.rows > one.first.length && "\n…"}
                </pre>
                <ul>
                  {one.evidence.map((words) => (
                    <li key={words}>{words}</li>
                  ))}
                </ul>
                <Button $kind="bright" onPress={() => take(one)}>
                  Make a curve of it
                </Button>
              </div>
            ))}
          </div>
        )}
      </Card>
    </Row>
  );
}

interface CurveFieldsProps {
  curve: CurvePart;
  onCurve: (curve: CurvePart) => void;
  onRemove: () => void;
}

const fieldsOf = (row: string): string[] =>
  [...row.matchAll(/<([a-z_][a-z0-9_]*)/gi)].map(([, name = ""]) => name);

function CurveFields({ curve, onCurve, onRemove }: CurveFieldsProps) {
  const set = (part: Partial<CurvePart>): void => onCurve({ ...curve, ...part });
  const names = fieldsOf(curve.row);
  const left = names.filter((name) => name !== curve.x.field && !curve.y.some(({ field }) => field === name));
  return (
    <>
      <Fields>
        <Entry label="Name" value={curve.name} onChange={(name) => name && set({ name })} width={170} />
        {!curve.block && (
          <>
            <BytesEntry
              label="A row reads"
              value={curve.row}
              onChange={(row) => row && set({ row })}
              width={300}
            />
            <BytesEntry
              label="Before the first row"
              value={curve.begins}
              placeholder="nothing need come"
              onChange={(begins) => set({ begins })}
              width={200}
            />
          </>
        )}
      </Fields>
      {curve.block ? (
        <p className="quiet">
          A block of {curve.block.numbers} numbers in one message, with its axis from a preamble: what is
          taken from where stands in the text of the set-up (below, as text).
        </p>
      ) : (
        <>
          <Fields>
            <BytesEntry
              label="Behind the last row"
              value={curve.ends}
              placeholder="silence"
              onChange={(ends) => set({ ends })}
              width={170}
            />
            <NumberEntry
              label="Rows"
              value={curve.rows || null}
              onValue={(rows) => set({ rows: rows ?? 0 })}
              width={90}
              least={0}
              empty
              placeholder="any"
            />
            <BytesEntry
              label="Says how far it is"
              value={curve.progress}
              placeholder="nothing"
              onChange={(progress) => set({ progress })}
              width={200}
            />
            <NumberEntry
              label="Given up after silence, s"
              value={curve.silence_s}
              onValue={(silence_s) => set({ silence_s: silence_s ?? 5 })}
              width={150}
              least={0.05}
            />
          </Fields>
        </>
      )}
      <h4>Over</h4>
      <Axis
        axis={curve.x}
        names={[curve.x.field, ...left]}
        onAxis={(x) => set({ x: { ...curve.x, ...x } })}
      />
      <h4>Quantities</h4>
      {curve.y.map((one, n) => (
        <Axis
          key={n}
          axis={one}
          names={[one.field, ...left]}
          onAxis={(part) => set({ y: curve.y.map((other, m) => (m === n ? { ...other, ...part } : other)) })}
          unwrap={one.unwrap}
          onUnwrap={(unwrap) =>
            set({ y: curve.y.map((other, m) => (m === n ? { ...other, unwrap } : other)) })
          }
          onRemove={curve.y.length > 1 ? () => set({ y: curve.y.filter((_, m) => m !== n) }) : undefined}
        />
      ))}
      <div style={{ display: "flex", gap: 8 }}>
        {left[0] && (
          <Chip
            onPress={() =>
              set({
                y: [...curve.y, { field: left[0] ?? "", name: "", unit: "", scale: "linear", unwrap: false }],
              })
            }
          >
            Add {left[0]}
          </Chip>
        )}
        <Chip onPress={onRemove}>Remove the curve</Chip>
      </div>
    </>
  );
}

interface AxisProps {
  axis: CurvePart["x"];
  names: string[];
  onAxis: (part: Partial<CurvePart["x"]>) => void;
  unwrap?: boolean;
  onUnwrap?: (on: boolean) => void;
  onRemove?: (() => void) | undefined;
}

function Axis({ axis, names, onAxis, unwrap, onUnwrap, onRemove }: AxisProps) {
  return (
    <Fields>
      <Select
        label="Field"
        value={axis.field}
        options={names}
        onChange={(field) => onAxis({ field })}
        width={130}
      />
      <Entry
        label="Called"
        value={axis.name}
        placeholder={axis.field}
        onChange={(name) => onAxis({ name })}
        width={140}
      />
      <Entry label="Unit" value={axis.unit} onChange={(unit) => onAxis({ unit })} width={80} />
      <Tick
        on={axis.scale === "logarithmic"}
        onChange={(on) => onAxis({ scale: on ? "logarithmic" : "linear" })}
      >
        logarithmic
      </Tick>
      {onUnwrap && (
        <Tick on={unwrap ?? false} onChange={onUnwrap}>
          an angle, drawn without jumps
        </Tick>
      )}
      {onRemove && (
        <Chip onPress={onRemove} aria-label={`Remove ${axis.name || axis.field}`}>
          Remove
        </Chip>
      )}
    </Fields>
  );
}
