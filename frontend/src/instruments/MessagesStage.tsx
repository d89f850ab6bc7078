import { useState } from "react";
import styled from "styled-components";
import type { CommandPart, Instrument, QueryPart, Setup } from "../api/client";
import { Button, Chip } from "../parts/Button";
import { endName, escaped, unescaped } from "../parts/escapes";
import { Entry, Fields, Select } from "../parts/Select";
import type { StageProps } from "./SetupPage";

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

const END_CHOICES = ["\r\n", "\r", "\n", "either", "\u0003", ";"];

const milli = (seconds: number): string => String(Number((seconds * 1000).toFixed(3)));

/** An entry for bytes: escapes as they are typed, bytes as they are kept. */
function BytesEntry({
  label,
  value,
  onChange,
  width,
  placeholder,
}: {
  label: string;
  value: string;
  onChange: (bytes: string) => void;
  width: number;
  placeholder?: string;
}) {
  const [text, setText] = useState(escaped(value));
  const [wrong, setWrong] = useState(false);
  const [kept, setKept] = useState(value);
  if (kept !== value) {
    setKept(value);
    setText(escaped(value));
  }
  return (
    <Entry
      label={label}
      value={text}
      mono
      width={width}
      placeholder={placeholder}
      invalid={wrong}
      onChange={(next) => {
        setText(next);
        try {
          const bytes = unescaped(next);
          setWrong(false);
          setKept(bytes);
          onChange(bytes);
        } catch {
          setWrong(true);
        }
      }}
    />
  );
}

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
    patterns: [],
  };
};

/** How it talks, what is asked and when, what ends a message; and what is said around a session. */
export function MessagesStage({ setup, change, instrument }: StageProps) {
  const { framing } = setup;
  const talks = setup.instrument.talks;
  const setTalks = (next: typeof talks): void => {
    const instrument = { ...setup.instrument, talks: next };
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
        <Select
          label="A message"
          value={framing.kind}
          options={[
            { value: "ends with", text: "ends with …" },
            { value: "between marks", text: "stands between marks" },
            { value: "modbus rtu", text: "is a Modbus RTU frame" },
          ]}
          onChange={(kind) =>
            change({
              framing: {
                ...framing,
                kind,
                ...(kind === "between marks" && !framing.start ? { start: "\u0002", end: "\u0003" } : {}),
              },
            })
          }
          width={180}
        />
        {framing.kind === "between marks" && (
          <>
            <BytesEntry
              label="Start mark"
              value={framing.start}
              onChange={(start) => start && change({ framing: { ...framing, start } })}
              width={90}
            />
            <BytesEntry
              label="End mark"
              value={framing.end}
              onChange={(end) => end && change({ framing: { ...framing, end } })}
              width={90}
            />
          </>
        )}
        {framing.kind === "ends with" && (
          <>
            <Select
              label="its end"
              value={framing.terminator}
              options={[...new Set([...END_CHOICES, framing.terminator])].map((end) => ({
                value: end,
                text: endName(end),
              }))}
              onChange={(terminator) => change({ framing: { ...framing, terminator } })}
              width={140}
            />
            <BytesEntry
              label="or other bytes"
              value={framing.terminator === "either" ? "" : framing.terminator}
              onChange={(terminator) => terminator && change({ framing: { ...framing, terminator } })}
              width={110}
            />
          </>
        )}
        <Select
          label="Check characters"
          value={framing.check}
          options={[
            { value: "none", text: "none" },
            { value: "nmea", text: "NMEA 0183, *hh" },
            { value: "xor hex", text: "XOR, two hex digits" },
            { value: "modbus crc", text: "CRC-16 of Modbus" },
          ]}
          onChange={(check) => change({ framing: { ...framing, check } })}
          width={170}
        />
        {talks !== "when asked" && (
          <Entry
            label={talks === "on its key" ? "A reading is good for, s" : "It talks every, s"}
            value={setup.listen?.every_s == null ? "" : String(setup.listen.every_s)}
            placeholder={talks === "on its key" ? "600" : "1"}
            onChange={(text) =>
              change({
                listen: {
                  patterns: setup.listen?.patterns ?? [],
                  every_s: Number(text) > 0 ? Number(text) : null,
                },
              })
            }
            width={150}
          />
        )}
      </Fields>
      {talks === "when asked" && (
        <Group>
          <legend>Queries</legend>
          {setup.query.map((query, index) => (
            <Fields key={query.id}>
              <BytesEntry
                label="Query"
                value={query.send}
                onChange={(send) => send && setQuery(index, { send })}
                width={180}
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
                <Entry
                  label="ms (0: without pause)"
                  value={milli(query.every_s)}
                  onChange={(text) => setQuery(index, { every_s: Math.max(0, Number(text) || 0) / 1000 })}
                  width={130}
                />
              )}
              <Entry
                label="Give up after, ms"
                value={milli(query.give_up_after_s)}
                onChange={(text) =>
                  setQuery(index, { give_up_after_s: Math.max(5, Number(text) || 0) / 1000 })
                }
                width={115}
              />
              <Chip
                style={{ minHeight: 34 }}
                onPress={() => change({ query: setup.query.filter((_, n) => n !== index) })}
              >
                take away
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
              label="Its answer must have (read-back)"
              value={command.expect}
              onChange={(expect) => set({ expect })}
              width={190}
            />
            <Chip
              style={{ minHeight: 34 }}
              onPress={() => change({ [key]: setup[key].filter((_, n) => n !== index) })}
            >
              take away
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
    identity && "who are you",
    setup.start.length && `${setup.start.length} on connecting`,
    setup.release.length && `${setup.release.length} on release`,
  ].filter(Boolean);
  if (!open)
    return (
      <div>
        <Chip aria-expanded={false} onPress={() => setOpen(true)} style={{ minHeight: 32 }}>
          {there.length
            ? `around a session: ${there.join(", ")}`
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
                label="Its answer must have"
                value={identity.expect}
                placeholder="any answer will do"
                onChange={(expect) => change({ identity: { ...identity, expect } })}
                width={200}
              />
              <Entry
                label="Lines (0: until quiet)"
                value={String(identity.lines)}
                onChange={(text) =>
                  change({ identity: { ...identity, lines: Math.max(0, Math.round(Number(text)) || 0) } })
                }
                width={130}
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
