import { useState } from "react";
import { Button as Head } from "react-aria-components";
import styled from "styled-components";
import type { Command, Instrument, InstrumentCommandPart, Setup } from "../api/client";
import { CommandForm } from "../commands/CommandForm";
import { ofInstrument, useCommands } from "../commands/useCommands";
import { Button, Chip } from "../parts/Button";
import { BytesEntry } from "../parts/BytesEntry";
import { escaped } from "../parts/escapes";
import { Fold } from "../parts/Fold";
import { ListEntry } from "../parts/ListEntry";
import { milli } from "../parts/number";
import { NumberEntry } from "../parts/NumberEntry";
import { Entry, Fields, Select } from "../parts/Select";
import { Tick } from "../parts/Tick";
import { argumentOf, fieldsOf, freshCommand, plain, sending, withArgument } from "./commandDraft";
import { CommandTable } from "./CommandTable";
import { Card, CardRow } from "./StageCard";

const Row = styled(CardRow)`
  .last {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 16px;
  }
  .later {
    color: var(--quiet);
  }
  .buttons {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
  }
  .buttons button {
    min-height: 32px;
  }
`;

const DOES = [
  { value: "reads" as const, text: "only reads" },
  { value: "sets" as const, text: "sets something" },
  { value: "cannot be undone" as const, text: "cannot be undone" },
];

export interface CommandsCardProps {
  setup: Setup;
  change: (changes: Partial<Setup>) => void;
  instrumentKey: string;
  /** Its commands as they are kept. */
  before: InstrumentCommandPart[];
  instrument: Instrument | undefined;
  open: boolean;
  onOpen: () => void;
}

/** What the instrument can be told: its commands, their arguments and answers, and which stand on the Bench. */
export function CommandsCard({
  setup,
  change,
  instrumentKey,
  before,
  instrument,
  open,
  onOpen,
}: CommandsCardProps) {
  const [pasting, setPasting] = useState(false);
  const { command: commands } = setup;
  const safe = setup.safe?.commands ?? [];
  const inForce = ofInstrument(useCommands(), instrumentKey);
  const isKept = (one: InstrumentCommandPart): boolean =>
    before.some((other) => JSON.stringify(other) === JSON.stringify(one));
  const set = (index: number, command: InstrumentCommandPart): void =>
    change({ command: commands.map((one, n) => (n === index ? command : one)) });
  return (
    <Row>
      <Card $open={open} $bad={false} data-testid="commands">
        <Head className="head" onPress={onOpen} aria-expanded={open}>
          <h2>Commands</h2>
          <span className="summary">{commands.map((one) => one.name).join(", ") || "none yet"}</span>
        </Head>
        {open && (
          <div className="body">
            <div style={{ minWidth: 0 }}>
              {commands.map((one, index) => (
                <Fold key={one.id} title={one.name} summary={summary(one)} open={one.send.startsWith("?")}>
                  <CommandFields
                    setup={setup}
                    instrument={instrument}
                    kept={isKept(one) ? inForce.find((other) => other.id === one.id) : undefined}
                    command={one}
                    onCommand={(command) => set(index, command)}
                    safe={safe.some((other) => other.command === one.id)}
                    onSafe={(on) => change({ safe: withSafe(setup, one.id, on) })}
                    onRemove={() =>
                      change({
                        command: commands.filter((_, n) => n !== index),
                        safe: withSafe(setup, one.id, false),
                      })
                    }
                  />
                </Fold>
              ))}
            </div>
            {setup.safe && (
              <div role="group" aria-label="Safe state">
                <p>
                  Its safe state:{" "}
                  {safe.map((one) => commands.find(({ id }) => id === one.command)?.name).join(", ")}. It is
                  sent when a procedure that gave it commands is stopped or fails, and when Tidy Bench ends.
                  It is no protective system.
                </p>
                <Tick
                  on={setup.safe.run_ends}
                  onChange={(run_ends) => setup.safe && change({ safe: { ...setup.safe, run_ends } })}
                >
                  also when a run ends
                </Tick>
              </div>
            )}
            <div className="buttons">
              <Button
                onPress={() =>
                  change({ command: [...commands, freshCommand(setup, instrument?.sends_end ?? "\r\n")] })
                }
              >
                Add a command
              </Button>
              {!setup.modbus && (
                <Button onPress={() => setPasting(!pasting)} aria-expanded={pasting}>
                  Paste a command table
                </Button>
              )}
            </div>
            {pasting && (
              <CommandTable
                instrumentKey={instrumentKey}
                taken={commands.map((one) => one.id)}
                onTake={(more) => {
                  change({ command: [...commands, ...more] });
                  setPasting(false);
                }}
              />
            )}
          </div>
        )}
      </Card>
    </Row>
  );
}

/** The safe state with a command in it, sent with its defaults, or without it; none where nothing is left. */
function withSafe(setup: Setup, id: string, on: boolean): Setup["safe"] {
  const before = setup.safe ?? { commands: [], run_ends: false, watch: null, watch_s: 5 };
  const others = before.commands.filter((one) => one.command !== id);
  const commands = on ? [...others, { command: id, values: {} }] : others;
  return commands.length ? { ...before, commands } : null;
}

const summary = (command: InstrumentCommandPart): string =>
  (command.writes ? `writes ${command.writes}` : escaped(command.send)) +
  (command.button ? ", on the Bench" : "");

interface CommandFieldsProps {
  setup: Setup;
  instrument: Instrument | undefined;
  /** As it is in force; none where it was changed. */
  kept: Command | undefined;
  command: InstrumentCommandPart;
  /** Whether it is part of the safe state. */
  safe: boolean;
  onSafe: (on: boolean) => void;
  onCommand: (command: InstrumentCommandPart) => void;
  onRemove: () => void;
}

function CommandFields({
  setup,
  instrument,
  kept,
  command,
  safe,
  onSafe,
  onCommand,
  onRemove,
}: CommandFieldsProps) {
  const set = (part: Partial<InstrumentCommandPart>): void => onCommand({ ...command, ...part });
  const writable = setup.modbus?.registers.filter((one) => one.writable).map((one) => one.name) ?? [];
  const fields = fieldsOf(command);
  return (
    <>
      <Fields>
        <Entry label="Name" value={command.name} onChange={(name) => set({ name })} width={170} />
        {setup.modbus ? (
          <Select
            label="Writes the register"
            value={command.writes}
            options={writable}
            onChange={(writes) => onCommand(sending(command, { writes, send: "" }))}
            width={150}
          />
        ) : (
          <BytesEntry
            label="Sends"
            value={command.send}
            onChange={(send) => send && onCommand(sending(command, { send }))}
            width={260}
          />
        )}
        <Select
          label="What it does"
          value={command.does}
          options={DOES}
          onChange={(does) => set({ does })}
          width={160}
        />
      </Fields>
      {setup.modbus && (
        <Tick on={command.read_back} onChange={(read_back) => set({ read_back })}>
          is read back; not for one that falls back by itself
        </Tick>
      )}
      {!setup.modbus && (
        <Fields>
          <BytesEntry
            label="Its answer must read"
            value={command.patterns[0] ?? ""}
            placeholder="nothing need come"
            onChange={(one) => set({ patterns: one ? [one, ...command.patterns.slice(1)] : [] })}
            width={260}
          />
          <NumberEntry
            label="Answer timeout, ms"
            value={milli(command.give_up_after_s)}
            onValue={(ms) => set({ give_up_after_s: (ms ?? 1000) / 1000 })}
            width={125}
            least={5}
          />
          {(setup.curve.length > 0 || command.starts) && (
            <Select
              label="Its answer is the curve"
              value={command.starts || "none"}
              options={[
                { value: "none", text: "none" },
                ...setup.curve.map(({ id, name }) => ({ value: id, text: name })),
              ]}
              onChange={(id) =>
                set({ starts: id === "none" ? "" : id, ...(id === "none" ? {} : { patterns: [] }) })
              }
              width={170}
            />
          )}
          {(setup.framing.check !== "none" || command.with_check) && (
            <Tick on={command.with_check} onChange={(with_check) => set({ with_check })}>
              goes out with check characters, as replies have them
            </Tick>
          )}
        </Fields>
      )}
      {fields.map(({ name, numeric }) => {
        const one = argumentOf(command, name);
        const put = (part: Partial<typeof one>): void => onCommand(withArgument(command, name, part));
        const listed = one.choices.length > 0;
        return (
          <div key={name} role="group" aria-label={`Argument ${name}`}>
            <h4>{`<${name}>`}</h4>
            <Fields>
              <Entry
                label="Label"
                value={one.name}
                placeholder={name}
                onChange={(next) => put({ name: next })}
                width={130}
              />
              <Entry label="Unit" value={one.unit} onChange={(unit) => put({ unit })} width={70} />
              {numeric && !listed && (
                <>
                  <NumberEntry
                    label="Lowest"
                    value={one.lowest}
                    onValue={(lowest) => put({ lowest })}
                    width={90}
                    empty
                  />
                  <NumberEntry
                    label="Highest"
                    value={one.highest}
                    onValue={(highest) => put({ highest })}
                    width={90}
                    empty
                  />
                </>
              )}
              {one.lowest == null && one.highest == null && (
                <ListEntry
                  label="Choices"
                  values={one.choices.map(String)}
                  onValues={(words) =>
                    put({
                      choices: words.map((word) => plain(word, numeric)).filter((word) => word !== null),
                    })
                  }
                  width={170}
                />
              )}
              <Entry
                label="Default"
                value={one.default == null ? "" : String(one.default)}
                onChange={(text) => put({ default: plain(text, numeric) })}
                width={90}
              />
            </Fields>
          </div>
        );
      })}
      <Entry label="What a person should know" value={command.note} onChange={(note) => set({ note })} />
      <div className="last">
        <Tick on={command.button} onChange={(button) => set({ button })}>
          button on the Bench
        </Tick>
        <Tick on={safe} onChange={onSafe}>
          in its safe state
        </Tick>
        <Chip onPress={onRemove}>Remove</Chip>
      </div>
      {kept ? (
        <div role="group" aria-label={`Try ${command.name}`}>
          <h4>Try it</h4>
          <CommandForm instrument={instrument} command={kept} by="" />
        </div>
      ) : (
        <p className="later">It can be tried when it is saved.</p>
      )}
    </>
  );
}
