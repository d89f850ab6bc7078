import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useMemo, useRef, useState } from "react";
import { Button as AriaButton, Disclosure, DisclosurePanel, Heading } from "react-aria-components";
import styled from "styled-components";
import { api, type Channel, got, said, type Schemas } from "../api/client";
import { useAct } from "../api/useAct";
import { valueWords } from "../look/format";
import { digits, mono } from "../look/theme";
import { isGood, valueAt } from "../live/readings";
import { connection, useLive } from "../live/connection";
import { Button, Chip } from "../parts/Button";
import { useForm } from "../parts/formFields";
import { useLeaveGuard } from "../parts/useLeaveGuard";
import { NumberEntry } from "../parts/NumberEntry";
import { Entry, Fields, Select } from "../parts/Select";
import { UNITS } from "../parts/units";
import { useLate } from "../parts/useLate";
import { Trouble } from "../parts/Window";
import { FilterFields } from "./FilterFields";
import { LimitFields } from "./LimitFields";
import { leanLimits, noLimits } from "./limits";

type Part = Schemas["CalculatedPart"];
type Checked = Schemas["CalculatedChecked"];

const Page = styled.div`
  display: grid;
  grid-template-columns: minmax(0, 1fr) 320px;
  gap: 12px;
  padding: 4px 12px 20px;
  align-items: start;
  .top {
    grid-column: 1 / -1;
    position: sticky;
    top: 0;
    z-index: 2;
    background: var(--ground);
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 10px;
    padding: 6px;
  }
  h1 {
    font-size: 22px;
  }
  @media (max-width: 900px) {
    grid-template-columns: minmax(0, 1fr);
  }
`;

const Opener = styled(AriaButton)`
  display: flex;
  align-items: center;
  gap: 14px;
  width: 100%;
  min-height: 44px;
  padding: 4px 16px;
  border: 0;
  border-radius: var(--radius);
  background: none;
  text-align: left;
  cursor: pointer;
  &::before {
    content: "▸";
    color: var(--quiet);
  }
  &[aria-expanded="true"]::before {
    content: "▾";
  }
  b {
    font-size: 15px;
    white-space: nowrap;
  }
  code {
    flex: 1;
    min-width: 0;
    font: 13px ${mono};
    color: var(--quiet);
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .bad {
    color: var(--fault);
    font-weight: 700;
    font-size: 13px;
    white-space: nowrap;
  }
  .now {
    font: 700 20px/1 ${digits};
    white-space: nowrap;
  }
  .now small {
    font: 12px sans-serif;
    color: var(--quiet);
    margin-left: 4px;
  }
  @media (max-width: 719px) {
    flex-wrap: wrap;
    code {
      flex: 1 0 100%;
      order: 3;
    }
  }
`;

const Card = styled(Disclosure)<{ $bad: boolean }>`
  background: var(--panel);
  border: 1px solid ${({ $bad }) => ($bad ? "var(--fault)" : "var(--hairline)")};
  border-radius: var(--radius);
  box-shadow: var(--shadow);
  margin-bottom: 8px;
  h2 {
    margin: 0;
    font: inherit;
  }
  .body {
    padding: 4px 16px 14px;
    display: grid;
    gap: 10px;
  }
  textarea {
    font: 15px/1.5 ${mono};
    width: 100%;
    border: 1px solid var(--hairline);
    border-radius: var(--radius);
    padding: 8px 10px;
    background: var(--panel);
    resize: vertical;
  }
  textarea[aria-invalid="true"] {
    border-color: var(--fault);
  }
  pre {
    margin: 0;
    font: 14px/1.3 ${mono};
    color: var(--fault);
    overflow-x: auto;
  }
`;

const Aside = styled.aside`
  background: var(--panel);
  border: 1px solid var(--hairline);
  border-radius: var(--radius);
  padding: 12px 14px;
  display: grid;
  gap: 10px;
  h2 {
    font-size: 15px;
  }
  .chips {
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
  }
  code {
    font: 13px ${mono};
  }
  dl {
    display: grid;
    grid-template-columns: auto 1fr;
    gap: 3px 10px;
    margin: 0;
    font-size: 13px;
  }
  dd {
    margin: 0;
    color: var(--quiet);
  }
`;

const FUNCTIONS: [string, string][] = [
  ["998 [kg/m3]", "a number with its unit"],
  ["+ − * / ^", "arithmetic; units are checked"],
  ["< > = and or not", "conditions"],
  ["if(c, a, b)", "a where c holds, else b"],
  ["in(x, [kPa])", "in another unit"],
  ["min max mean(a, b)", "of several channels"],
  ["abs sqrt exp ln log10", "and sin, cos, tan, round …"],
  ["mean_over(x, 10 [s])", "over a window; also min_over, max_over, median_over, sd_over"],
  ["rate(x, 60 [s])", "rate of change"],
  ["integral(x)", "since the run began; integral(x, 60 [s]) over a window"],
  ["time_since(c)", "seconds since c last held"],
  ["decibel_power(x, r)", "decibels to a reference; decibel_field for amplitudes"],
];

interface Row {
  key: number;
  part: Part;
}

const fresh = (): Part => ({
  id: "", name: "New channel", expression: "", unit: "", decimals: 2, meet: "latest", filter: [],
  limits: noLimits,
}); // prettier-ignore

/** An id made from a name that no other calculated channel has. */
function idOf(name: string, parts: Part[], index: number): string {
  const base =
    name
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, "-")
      .replace(/^-|-$/g, "") || "channel";
  const taken = parts.filter((_, n) => n !== index).map((one) => one.id);
  let id = base;
  for (let n = 2; taken.includes(id); n++) id = `${base}-${n}`;
  return id;
}

/** How a channel is named in an expression. */
export const named = (id: string): string => (/^[A-Za-z_][A-Za-z0-9_.]*$/.test(id) ? id : `"${id}"`);

/** Without what says nothing, so that the text stays short. */
function lean(part: Part): Part {
  const limits = leanLimits(part.limits);
  const kept = Object.entries(part).filter(
    ([key, value]) =>
      value !== null &&
      value !== undefined &&
      !(Array.isArray(value) && !value.length) &&
      !(key === "meet" && value === "latest"),
  );
  const out = Object.fromEntries(kept) as Record<string, unknown>;
  if (limits) out.limits = limits;
  else delete out.limits;
  return out as unknown as Part;
}

/** A set with one thing in it, or not. */
function including<T>(set: ReadonlySet<T>, one: T, on: boolean): ReadonlySet<T> {
  const next = new Set(set);
  if (on) next.add(one);
  else next.delete(one);
  return next;
}

/** Channels that are calculated from others, each with its live value and what is wrong with it. */
export function CalculatedPage() {
  const channels = useLive(({ status }) => status?.channels);
  const [saved, setSaved] = useState<Saved>({ sentence: "", open: [] });
  const form = useQuery({
    queryKey: ["calculated"],
    queryFn: () => got(api.GET("/api/calculated")),
    // What is being typed must not be taken away because the window got the focus again.
    refetchOnWindowFocus: false,
    staleTime: Infinity,
    refetchOnMount: "always",
  });
  if (form.error) return <Trouble>{said(form.error)}</Trouble>;
  if (!form.data || !channels) return <p style={{ padding: 40 }}>Reading the calculated channels …</p>;
  return (
    <Editor
      key={form.data.text}
      kept={form.data.calculations.calculated}
      was={form.data.text}
      channels={channels}
      saved={saved}
      onSaved={setSaved}
    />
  );
}

interface EditorProps {
  kept: Part[];
  /** The document that these stand in. */
  was: string;
  channels: Channel[];
  saved: Saved;
  onSaved: (saved: Saved) => void;
}

/** The last time they were saved: what was said, and which of them were open, by id. They stay so. */
interface Saved {
  sentence: string;
  open: string[];
}

function Editor({ kept, was, channels, saved, onSaved }: EditorProps) {
  const client = useQueryClient();
  // Cards keep their places while ids are typed: each has a number of its own.
  const [rows, setRows] = useState<Row[]>(() => kept.map((part, key) => ({ key, part })));
  const parts = useMemo(() => rows.map((row) => row.part), [rows]);
  const { run, trouble, clear } = useAct();
  const [active, setActive] = useState(0);
  const areas = useRef<(HTMLTextAreaElement | null)[]>([]);
  const fields = useForm();
  const dirty = JSON.stringify(parts) !== JSON.stringify(kept);
  const checked = useChecked(parts);
  const [opened, setOpened] = useState<ReadonlySet<number>>(
    () =>
      new Set(kept.flatMap((part, key) => (kept.length === 1 || saved.open.includes(part.id) ? [key] : []))),
  );
  const names = useMemo(
    () => new Map([...channels, ...parts].map((one) => [one.id, one.name])),
    [channels, parts],
  );
  const usersOf = (id: string): string[] =>
    (checked ?? []).filter((one) => one.uses.includes(id)).map((one) => names.get(one.id) ?? one.id);
  const set = (index: number, part: Partial<Part>): void =>
    setRows(rows.map((row, n) => (n === index ? { ...row, part: { ...row.part, ...part } } : row)));
  const rename = (index: number, name: string): void => {
    const part = parts[index];
    if (!part) return;
    // A new channel's id follows its name, until somebody types another.
    const follows = !kept.some((one) => one.id === part.id) && part.id === idOf(part.name, parts, index);
    set(index, follows ? { name, id: idOf(name, parts, index) } : { name });
  };
  const save = (): void =>
    run(async () => {
      const body = { calculations: { format: 1 as const, calculated: parts.map(lean) }, was };
      const done = await got(api.PUT("/api/calculated", { body }));
      const open = rows.filter((row) => opened.has(row.key)).map((row) => row.part.id);
      onSaved({ sentence: done.sentence, open });
      await client.invalidateQueries({ queryKey: ["calculated"] });
    });
  // Nothing is put into an expression that is not seen.
  const current = rows[active];
  const typing = current !== undefined && opened.has(current.key);
  const insert = (text: string): void => {
    const part = parts[active];
    const area = areas.current[active];
    if (!part) return;
    const at = area?.selectionStart ?? part.expression.length;
    const end = area?.selectionEnd ?? at;
    set(active, { expression: part.expression.slice(0, at) + text + part.expression.slice(end) });
    area?.focus();
    requestAnimationFrame(() => area?.setSelectionRange(at + text.length, at + text.length));
  };
  const add = (): void => {
    const part = fresh();
    part.id = idOf(part.name, parts, -1);
    const key = Math.max(-1, ...rows.map((row) => row.key)) + 1;
    setRows([...rows, { key, part }]);
    setOpened(including(opened, key, true));
    setActive(parts.length);
  };
  const guard = useLeaveGuard(dirty || fields.wrong !== "", "What you changed in the calculated channels");
  return fields.within(
    <Page>
      {guard}
      <div className="top">
        <h1>Calculated channels</h1>
        <span style={{ color: "var(--quiet)", marginRight: "auto" }} role="status">
          {saved.sentence}
        </span>
        <Button onPress={add}>Add a channel</Button>
        <Button
          $kind="plain"
          isDisabled={!dirty && !fields.wrong}
          onPress={() => {
            setRows(kept.map((part, key) => ({ key, part })));
            clear();
            fields.reset();
            // What somebody else has kept meanwhile is shown from here on.
            void client.invalidateQueries({ queryKey: ["calculated"] });
          }}
        >
          Discard
        </Button>
        <Button $kind="bright" isDisabled={!dirty || fields.wrong !== ""} onPress={save}>
          Save
        </Button>
      </div>
      <div>
        {(trouble || fields.wrong) && <Trouble>{trouble || fields.wrong}</Trouble>}
        {!parts.length && (
          <p style={{ padding: 20, maxWidth: "62ch" }}>
            <b>None yet.</b> A calculated channel is made from others: a difference of two pressures, an
            efficiency, a mean over ten seconds. Add one, and press the channels on the right to name them.
          </p>
        )}
        {rows.map(({ key, part }, index) => (
          <PartCard
            key={key}
            part={part}
            live={channels.find((one) => one.id === part.id)}
            checked={checked?.find((one) => one.id === part.id)}
            names={names}
            usedBy={usersOf(part.id)}
            open={opened.has(key)}
            onOpen={(on) => {
              setOpened(including(opened, key, on));
              if (on) setActive(index);
            }}
            leads={channels.filter((one) => part.expression.includes(one.id))}
            area={(element) => {
              areas.current[index] = element;
            }}
            onFocus={() => setActive(index)}
            set={(more) => set(index, more)}
            onName={(name) => rename(index, name)}
            onRemove={() => setRows(rows.filter((_, n) => n !== index))}
          />
        ))}
      </div>
      <Aside aria-label="What expressions are made of">
        <h2>Channels</h2>
        <div className="chips">
          {channels
            .filter((one) => one.id !== parts[active]?.id)
            .map((one) => (
              <Chip key={one.id} isDisabled={!typing} onPress={() => insert(named(one.id))}>
                {one.name}
                {one.unit && ` [${one.unit}]`}
              </Chip>
            ))}
        </div>
        <h2>Language</h2>
        <dl>
          {FUNCTIONS.map(([sign, what]) => (
            <div key={sign} style={{ display: "contents" }}>
              <dt>
                <code>{sign}</code>
              </dt>
              <dd>{what}</dd>
            </div>
          ))}
        </dl>
      </Aside>
    </Page>,
  );
}

/** What the server says of these, a moment after the last key. */
function useChecked(parts: Part[]): Checked[] | undefined {
  const late = useLate(parts, 250);
  const found = useQuery({
    queryKey: ["calculated", "check", late],
    queryFn: () =>
      got(api.POST("/api/calculated/check", { body: { format: 1, calculated: late.map(lean) } })),
    placeholderData: (old) => old,
    retry: false,
  });
  return found.data;
}

interface PartCardProps {
  part: Part;
  live: Channel | undefined;
  checked: Checked | undefined;
  leads: Channel[];
  /** What channels are called, by id. */
  names: ReadonlyMap<string, string>;
  /** The names of the calculated channels that are made from it. */
  usedBy: string[];
  open: boolean;
  onOpen: (open: boolean) => void;
  area: (element: HTMLTextAreaElement | null) => void;
  onFocus: () => void;
  set: (part: Partial<Part>) => void;
  onName: (name: string) => void;
  onRemove: () => void;
}

const FASTEST = "the fastest";

function PartCard({
  part,
  live,
  checked,
  names,
  usedBy,
  leads,
  area,
  onFocus,
  set,
  onName,
  onRemove,
  ...row
}: PartCardProps) {
  const [more, setMore] = useState(false);
  const problem = part.expression.trim() ? (checked?.problem ?? "") : "";
  const nothing = !problem && live?.problem ? live.problem : "";
  const uses = checked?.uses.map((id) => names.get(id) ?? id) ?? [];
  return (
    <Card
      $bad={!!problem}
      data-testid={`calculated-${part.id}`}
      isExpanded={row.open}
      onExpandedChange={row.onOpen}
    >
      <Heading level={2}>
        <Opener slot="trigger">
          <b>{part.name}</b>
          <code>{part.expression.trim() || "no expression yet"}</code>
          {problem && <span className="bad">cannot be calculated</span>}
          {live && <Now channel={live} />}
        </Opener>
      </Heading>
      <DisclosurePanel>
        <div className="body">
          <Fields>
            <Entry label="Name" value={part.name} onChange={onName} width={170} />
            <Entry
              label="Unit"
              value={part.unit}
              onChange={(unit) => set({ unit })}
              width={100}
              among={UNITS}
            />
            <NumberEntry
              label="Decimals"
              value={part.decimals}
              onValue={(decimals) => set({ decimals: decimals ?? 0 })}
              least={0}
              most={9}
              whole
              width={76}
            />
            <Entry label="Id, in files" value={part.id} onChange={(id) => set({ id })} width={150} mono />
          </Fields>
          <div>
            <textarea
              ref={area}
              aria-label={`Expression of ${part.name}`}
              aria-invalid={!!problem}
              value={part.expression}
              rows={Math.min(6, Math.max(2, Math.ceil(part.expression.length / 70)))}
              spellCheck={false}
              onFocus={onFocus}
              onChange={(event) => set({ expression: event.target.value })}
              placeholder="(discharge - suction) / (998 [kg/m3] * 9.80665 [m/s2])"
            />
            {problem && (
              <div role="alert">
                {checked && checked.column > 0 && !part.expression.includes("\n") && (
                  <pre aria-hidden="true">{pointer(part.expression, checked.column)}</pre>
                )}
                <p style={{ color: "var(--fault)", fontWeight: 600 }}>{problem}</p>
              </div>
            )}
            {nothing && <p style={{ color: "var(--caution)", fontWeight: 600 }}>{nothing}</p>}
          </div>
          <p style={{ color: "var(--quiet)" }}>
            {uses.length > 0 && `Made from ${uses.join(", ")}. `}
            {usedBy.length > 0 ? `Used by ${usedBy.join(", ")}.` : "No other channel uses it."}
          </p>
          <div style={{ display: "flex", gap: 6 }}>
            <Chip $chosen={more} aria-expanded={more} onPress={() => setMore(!more)}>
              more
            </Chip>
            <Chip aria-label={`Remove ${part.name}`} onPress={onRemove}>
              Remove
            </Chip>
          </div>
          {more && (
            <>
              <Fields>
                <Select
                  label="Channels of different rates meet"
                  value={part.meet}
                  options={[
                    { value: "latest", text: "with their latest values" },
                    { value: "interpolated", text: "interpolated to the lead's time" },
                  ]}
                  onChange={(meet) => set({ meet })}
                  width={230}
                />
                <NumberEntry
                  label="no older than, s"
                  value={part.age_s}
                  onValue={(age_s) => set({ age_s })}
                  width={120}
                  empty
                />
                <Select
                  label="Lead"
                  value={part.lead ?? FASTEST}
                  options={[FASTEST, ...leads.map((one) => ({ value: one.id, text: one.name }))]}
                  onChange={(lead) => set({ lead: lead === FASTEST ? null : lead })}
                  width={150}
                />
              </Fields>
              <FilterFields channel={part} set={set} />
              <LimitFields limits={part.limits} onChange={(limits) => set({ limits })} />
            </>
          )}
        </div>
      </DisclosurePanel>
    </Card>
  );
}

/** The part of an expression around a column, and a caret below it. */
export function pointer(text: string, column: number): string {
  const from = Math.max(0, column - 50);
  const part = text.slice(from, from + 90);
  return `${from ? "…" : ""}${part}\n${" ".repeat(column - 1 - from + (from ? 1 : 0))}^`;
}

function Now({ channel }: { channel: Channel }) {
  const [text, setText] = useState("–");
  useEffect(() => {
    const timer = setInterval(() => {
      const shown = valueAt(channel, connection.samples.of(channel.number), connection.now());
      setText(isGood(shown) ? valueWords(shown.value, channel) : "–");
    }, 300);
    return () => clearInterval(timer);
  }, [channel]);
  return (
    <span className="now" data-testid={`now-${channel.id}`}>
      {text}
      <small>{channel.unit}</small>
    </span>
  );
}
