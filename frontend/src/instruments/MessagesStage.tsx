import { useState } from "react";
import styled from "styled-components";
import type { CommandPart, Instrument, QueryPart, Setup } from "../api/client";
import { BytesEntry } from "../parts/BytesEntry";
import { Button, Chip } from "../parts/Button";
import { FramingFields, Suggestions } from "./FramingFields";
import { useProposals } from "./ProposalCard";
import { ReplyFields } from "./ReplyFields";
import { milli } from "../parts/number";
import { NumberEntry } from "../parts/NumberEntry";
import { Entry, Fields, Select } from "../parts/Select";
import type { StageProps } from "./stage";

const Group = styled.fieldset`
  border: 0;
  min-width: 0;
  border-top: 1px solid var(--ruling);
  padding: 10px 0 0;
  margin: 0;
  display: grid;
  gap: 10px;
  legend {
    float: left;
    width: 100%;
    padding: 0;
    font-weight: 600;
    font-size: 13.5px;
  }
`;

const freshQuery = (setup: Setup, end: string): QueryPart => {
  const ids = setup.query.map((query) => query.id);
  let n = 1;
  while (ids.includes(`query-${n}`)) n++;
  return {
    id: `query-${n}`,
    send: `READ?${end}`,
    every_s: 1,
    on_demand: false,
    give_up_after_s: 0.5,
    lines: 1,
    until: "",
    quiet_ms: 0,
    trigger: "",
    trigger_wait_s: 0.1,
    reader: null,
    patterns: [],
    errors: [],
  };
};

/** What a set-up loses where it talks in another way, in words; "" for nothing. */
function lostWords({ instrument, query, listen }: Pick<Setup, "instrument" | "query" | "listen">): string {
  if (instrument.talks !== "when asked")
    return listen?.patterns.length
      ? "Its message patterns were removed from the draft: they were for listening."
      : "";
  if (!query.length) return "";
  return query.length === 1
    ? "Its query was removed from the draft."
    : `Its ${query.length} queries were removed from the draft.`;
}

/** How it talks, what is asked and when, what ends a message; and what is said around a session. */
export function MessagesStage({
  setup,
  change,
  instrument,
  instrumentKey,
  changes,
}: StageProps & { instrumentKey: string; changes: Record<string, unknown> }) {
  const { framing } = setup;
  const proposals = useProposals(instrumentKey, changes, !setup.modbus);
  const talks = setup.instrument.talks;
  // What another way of talking has taken out of the draft: one press brings it back.
  const [before, setBefore] = useState<Pick<Setup, "instrument" | "query" | "listen"> | null>(null);
  const lost = before && before.instrument.talks !== talks ? lostWords(before) : "";
  const setTalks = (next: typeof talks): void => {
    const instrument = { ...setup.instrument, talks: next };
    setBefore({ instrument: setup.instrument, query: setup.query, listen: setup.listen ?? null });
    if (next === "when asked") change({ instrument, listen: null });
    else change({ instrument, query: [], listen: setup.listen ?? null });
  };
  const setQuery = (index: number, part: Partial<QueryPart>): void =>
    change({ query: setup.query.map((query, n) => (n === index ? { ...query, ...part } : query)) });
  return (
    <>
      <Fields>
        <Select
          label="It talks"
          value={talks}
          options={["when asked", "on its own", "on its key"]}
          onChange={setTalks}
          width={130}
        />
        <FramingFields framing={framing} onFraming={(part) => change({ framing: { ...framing, ...part } })} />
        {talks !== "when asked" && (
          <NumberEntry
            label={talks === "on its key" ? "Reading valid for, s" : "It talks every, s"}
            value={setup.listen?.every_s}
            onValue={(every_s) =>
              change({
                listen: { begins: "", contains: "", patterns: [], errors: [], ...setup.listen, every_s },
              })
            }
            width={150}
            placeholder={talks === "on its key" ? "600" : "1"}
            least={0.001}
            empty
          />
        )}
      </Fields>
      {before && lost && (
        <p role="status">
          {lost} <Chip onPress={() => change(before)}>Undo</Chip>
        </p>
      )}
      <Suggestions
        suggestions={proposals.data?.framings ?? []}
        onTake={(suggested) => change({ framing: { ...suggested, encoding: framing.encoding } })}
      />
      {framing.kind.startsWith("modbus") &&
        talks === "when asked" &&
        !setup.modbus &&
        !setup.query.length && (
          <div>
            <Button
              style={{ minHeight: 32 }}
              onPress={() =>
                change({
                  modbus: {
                    unit: 1,
                    every_s: 1,
                    on_demand: false,
                    give_up_after_s: 0.3,
                    together: 8,
                    registers: [],
                  },
                })
              }
            >
              Give it a register map
            </Button>
          </div>
        )}
      {talks === "when asked" && !setup.modbus && (
        <Group>
          <legend>Queries</legend>
          {setup.query.map((query, index) => (
            <Fields key={query.id}>
              <BytesEntry
                label="Query"
                value={query.send}
                onChange={(send) => send && setQuery(index, { send })}
                width={160}
              />
              <Select
                label="Asked"
                value={query.on_demand ? "on demand" : "every"}
                options={[
                  { value: "every", text: "every …" },
                  { value: "on demand", text: "on demand only" },
                ]}
                onChange={(when) => setQuery(index, { on_demand: when === "on demand" })}
                width={135}
              />
              {!query.on_demand && (
                <NumberEntry
                  label="Poll interval, ms (0 = continuous)"
                  value={milli(query.every_s)}
                  onValue={(ms) => setQuery(index, { every_s: (ms ?? 0) / 1000 })}
                  width={186}
                  least={0}
                />
              )}
              <NumberEntry
                label="Reply timeout, ms"
                value={milli(query.give_up_after_s)}
                onValue={(ms) => setQuery(index, { give_up_after_s: (ms ?? 5) / 1000 })}
                width={115}
                least={5}
              />
              <ReplyFields query={query} onQuery={(part) => setQuery(index, part)} />
              <Chip
                style={{ minHeight: 34 }}
                onPress={() => change({ query: setup.query.filter((_, n) => n !== index) })}
              >
                Remove
              </Chip>
            </Fields>
          ))}
          <div>
            <Button
              style={{ minHeight: 32 }}
              onPress={() =>
                change({ query: [...setup.query, freshQuery(setup, instrument?.sends_end ?? "\r\n")] })
              }
            >
              Add a query
            </Button>
          </div>
        </Group>
      )}
      <AroundSession setup={setup} change={change} instrument={instrument} />
    </>
  );
}

type Lists = "start" | "release";

function AroundSession({
  setup,
  change,
  instrument,
}: Pick<StageProps, "setup" | "change"> & { instrument: Instrument | undefined }) {
  const identity = setup.identity ?? null;
  const said = instrument?.identity ?? null;
  const [open, setOpen] = useState(false);
  const end = instrument?.sends_end ?? "\r\n";
  const list = (key: Lists, title: string, fresh: string) => (
    <Group>
      <legend>{title}</legend>
      {setup[key].map((command, index) => {
        const set = (part: Partial<CommandPart>): void =>
          change({ [key]: setup[key].map((one, n) => (n === index ? { ...one, ...part } : one)) });
        return (
          <Fields key={index}>
            <BytesEntry
              label="Send"
              value={command.send}
              onChange={(send) => send && set({ send })}
              width={200}
            />
            <Entry
              label="Answer must contain (read-back)"
              value={command.expect}
              onChange={(expect) => set({ expect })}
              width={205}
            />
            <Chip
              style={{ minHeight: 34 }}
              onPress={() => change({ [key]: setup[key].filter((_, n) => n !== index) })}
            >
              Remove
            </Chip>
          </Fields>
        );
      })}
      <div>
        <Button
          style={{ minHeight: 32 }}
          onPress={() =>
            change({ [key]: [...setup[key], { send: `${fresh}${end}`, expect: "", wait_s: 0.3 }] })
          }
        >
          Add a command
        </Button>
      </div>
    </Group>
  );
  const there = [
    identity && "identity query",
    setup.start.length && `${setup.start.length} on connecting`,
    setup.release.length && `${setup.release.length} on release`,
  ].filter(Boolean);
  if (!open)
    return (
      <div>
        <Chip aria-expanded={false} onPress={() => setOpen(true)} style={{ minHeight: 32 }}>
          {there.length
            ? `Session: ${there.join(", ")}`
            : "identity, and commands on connecting and on release"}{" "}
          …
        </Chip>
      </div>
    );
  return (
    <>
      <Group>
        <legend>Who are you</legend>
        <Fields>
          <BytesEntry
            label="Identity query"
            value={identity?.send ?? ""}
            placeholder="*IDN?\n"
            onChange={(send) =>
              change({ identity: send ? { expect: "", lines: 0, wait_s: 0.6, ...identity, send } : null })
            }
            width={160}
          />
          {identity && (
            <>
              <Entry
                label="Answer must contain"
                value={identity.expect}
                placeholder="any answer will do"
                onChange={(expect) => change({ identity: { ...identity, expect } })}
                width={200}
              />
              <NumberEntry
                label="Lines (0: until quiet)"
                value={identity.lines}
                onValue={(lines) => change({ identity: { ...identity, lines: lines ?? 0 } })}
                width={130}
                least={0}
                whole
              />
              {said && said.lines.length > 0 && (
                <Button
                  style={{ minHeight: 34 }}
                  onPress={() =>
                    change({
                      identity: { ...identity, expect: said.lines.at(said.lines.length > 1 ? 1 : 0) ?? "" },
                    })
                  }
                >
                  Expect this one from now on
                </Button>
              )}
            </>
          )}
        </Fields>
        {said && (
          <p data-testid="identity" style={{ color: said.matches ? "var(--quiet)" : "var(--fault)" }}>
            It says: {said.lines.join(" / ") || "nothing"}
          </p>
        )}
      </Group>
      {list("start", "Sent on connecting, and again when it was restarted", "RANGE 2")}
      {list("release", "Sent on release and at the end", "LOCAL")}
    </>
  );
}
