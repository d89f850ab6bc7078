import { useState } from "react";
import { Form, Label, Radio, RadioGroup } from "react-aria-components";
import styled from "styled-components";
import { api, got, type RunStatus, type Schemas } from "../api/client";
import { clock, moment } from "../look/format";
import { useAct } from "../api/useAct";
import { connection } from "../live/connection";
import { Button, Chip } from "../parts/Button";
import { Field } from "../parts/Field";
import { Entry } from "../parts/Select";
import { Actions, Trouble, Window } from "../parts/Window";

const LAST = "tidybench-last-run";
const OPERATORS = "tidybench-operators";
const REMEMBERED = 12;
const LONGEST = 120;

interface Particulars {
  name: string;
  item: string;
  operator: string;
  row_rule: "steady rows" | "each reading";
}

const blank: Particulars = { name: "", item: "", operator: "", row_rule: "steady rows" };

function remembered(): Particulars {
  try {
    return { ...blank, ...(JSON.parse(localStorage.getItem(LAST) ?? "{}") as Partial<Particulars>) };
  } catch {
    return blank;
  }
}

/** Remember what a run was called, so that the next one begins with it, and who has operated one. */
export function remember(run: Particulars): void {
  localStorage.setItem(LAST, JSON.stringify(run));
  const others = operators().filter((one) => one !== run.operator);
  localStorage.setItem(OPERATORS, [run.operator, ...others].filter(Boolean).slice(0, REMEMBERED).join("\n"));
}

/** Who has operated a run at this browser, the last one first. */
const operators = (): string[] => (localStorage.getItem(OPERATORS) ?? "").split("\n").filter(Boolean);

const Rules = styled(RadioGroup)`
  display: grid;
  gap: 6px;
  .react-aria-Label {
    font-size: 13px;
    color: var(--quiet);
  }
  .react-aria-Radio {
    display: flex;
    gap: 8px;
    align-items: flex-start;
    cursor: pointer;
  }
  .react-aria-Radio::before {
    content: "";
    flex: none;
    width: 16px;
    height: 16px;
    margin-top: 2px;
    border-radius: 50%;
    border: 2px solid var(--action);
  }
  .react-aria-Radio[data-selected]::before {
    border-width: 5px;
  }
  .react-aria-Radio[data-focus-visible]::before {
    outline: 3px solid var(--action);
    outline-offset: 2px;
  }
`;

export interface BeginWindowProps {
  /** Calibrations that are overdue: said, never in the way. */
  overdue?: Schemas["OverdueStatus"][];
  onClose: () => void;
  onBegun: () => void;
}

/** Name a run and begin it. */
export function BeginWindow({ overdue = [], onClose, onBegun }: BeginWindowProps) {
  const [run, setRun] = useState(remembered);
  const act = useAct();
  const set = (part: Partial<Particulars>): void => setRun((old) => ({ ...old, ...part }));
  const begin = (): void =>
    act.run(async () => {
      await got(api.POST("/api/run", { body: run }));
      remember(run);
      onBegun();
      onClose();
    });
  return (
    <Window title="Begin a run" open onClose={onClose}>
      <Form
        style={{ display: "grid", gap: 14 }}
        onSubmit={(event) => {
          event.preventDefault();
          begin();
        }}
      >
        <Field
          label="Name"
          value={run.name}
          onChange={(name) => set({ name })}
          required
          longest={120}
          autoFocus
          placeholder="for example: Pump 7 acceptance"
        />
        <Field label="Test item" value={run.item} onChange={(item) => set({ item })} longest={120} />
        <Entry
          label="Operator"
          value={run.operator}
          onChange={(operator) => set({ operator: operator.slice(0, LONGEST) })}
          among={operators()}
        />
        <Rules
          value={run.row_rule}
          onChange={(value) => set({ row_rule: value === "each reading" ? value : "steady rows" })}
        >
          <Label>Rows of the CSV</Label>
          <Radio value="steady rows">Steady rows, at the fastest interval of all channels</Radio>
          <Radio value="each reading">Each reading, a row whenever one arrives</Radio>
        </Rules>
        {act.trouble && <Trouble>{act.trouble}</Trouble>}
        {overdue.length > 0 && (
          <ul style={{ margin: 0, paddingLeft: 18, color: "var(--caution)", fontWeight: 600 }}>
            {overdue.map((one) => (
              <li key={one.name}>{one.words}</li>
            ))}
          </ul>
        )}
        <Actions>
          <Button onPress={onClose}>Cancel</Button>
          <Button $kind="bright" type="submit" isDisabled={act.busy}>
            Begin logging
          </Button>
        </Actions>
      </Form>
    </Window>
  );
}

export interface MarkWindowProps {
  run: Pick<RunStatus, "marks" | "operator">;
  onClose: () => void;
}

/** Write a mark. Its time is that of pressing M, not of finishing the sentence. */
export function MarkWindow({ run, onClose }: MarkWindowProps) {
  const { marks } = run;
  const [text, setText] = useState("");
  const [by, setBy] = useState(run.operator);
  // By a clock that nobody sets: how long ago it was pressed is all that is sent.
  const [pressed] = useState(() => performance.now());
  const [at] = useState(() => connection.now());
  const [chosen, setChosen] = useState<number | null>(null);
  const act = useAct();
  const mark = (): void =>
    act.run(async () => {
      if (chosen === null)
        await got(
          api.POST("/api/run/marks", {
            body: { text, by, ago_ms: Math.max(0, performance.now() - pressed) },
          }),
        );
      else await got(api.PATCH("/api/run/marks", { body: { at: chosen, text } }));
      onClose();
    });
  return (
    <Window title={chosen === null ? "Mark this moment" : "Correct a mark"} open onClose={onClose}>
      <Form
        style={{ display: "grid", gap: 14 }}
        onSubmit={(event) => {
          event.preventDefault();
          mark();
        }}
      >
        <Field
          label="What happened"
          value={text}
          onChange={setText}
          required
          longest={500}
          autoFocus
          placeholder="for example: valve to 60 %"
        />
        {chosen === null && (
          <>
            <Field label="By" value={by} onChange={setBy} longest={120} />
            <p style={{ color: "var(--quiet)" }}>It marks {clock(at)}, when you pressed.</p>
          </>
        )}
        {act.trouble && <Trouble>{act.trouble}</Trouble>}
        <Actions>
          <Button onPress={onClose}>Cancel</Button>
          <Button $kind="bright" type="submit">
            {chosen === null ? "Mark" : "Correct"}
          </Button>
        </Actions>
      </Form>
      {marks.length > 0 && (
        <section>
          <h3>Marks of this run</h3>
          <ul style={{ listStyle: "none", margin: "6px 0 0", padding: 0, maxHeight: 180, overflow: "auto" }}>
            {marks.toReversed().map((one) => (
              <li key={one.at} style={{ display: "flex", gap: 8, alignItems: "center", padding: "2px 0" }}>
                <span style={{ color: "var(--quiet)", whiteSpace: "nowrap" }}>{moment(one.at / 1000)}</span>
                <span style={{ flex: 1, minWidth: 0, overflow: "hidden", textOverflow: "ellipsis" }}>
                  {one.text}
                </span>
                <Chip
                  aria-label={`correct ${one.text}`}
                  onPress={() => {
                    setChosen(one.at);
                    setText(one.text);
                  }}
                >
                  correct
                </Chip>
              </li>
            ))}
          </ul>
        </section>
      )}
    </Window>
  );
}

/** Ending a run cannot be taken back, so it asks. */
export function EndWindow({ run, onClose }: { run: RunStatus; onClose: (ended: boolean) => void }) {
  const act = useAct();
  const end = (): void =>
    act.run(async () => {
      await got(api.POST("/api/run/end", { body: { run: run.id } }));
      onClose(true);
    });
  return (
    <Window title={`End “${run.name}”?`} open onClose={() => onClose(false)} asks>
      <p>The file is closed and goes to the logbook. The instruments stay connected.</p>
      {act.trouble && <Trouble>{act.trouble}</Trouble>}
      <Actions>
        <Button onPress={() => onClose(false)} autoFocus>
          Go on logging
        </Button>
        <Button $kind="bright" onPress={end} isDisabled={act.busy}>
          End the run
        </Button>
      </Actions>
    </Window>
  );
}
