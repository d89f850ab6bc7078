import { useState } from "react";
import styled from "styled-components";
import { api, got, type RegisterPart, type Setup } from "../api/client";
import { useAct } from "../api/useAct";
import { wanted } from "../alarms/calls";
import { useLive } from "../live/connection";
import { Button, Chip } from "../parts/Button";
import { milli, parsed } from "../parts/number";
import { NumberEntry } from "../parts/NumberEntry";
import { Entry, Fields, Select } from "../parts/Select";
import { Trouble } from "../parts/Window";

const Rows = styled.div`
  display: grid;
  gap: 6px;
  textarea {
    font:
      600 13.5px/1.5 "Atkinson Hyperlegible Mono Variable",
      monospace;
    padding: 8px 12px;
    border: 1px solid var(--hairline);
    border-radius: var(--radius);
    background: var(--ground);
  }
`;

const TABLES = ["holding", "input", "coil", "discrete"] as const;
const HOLDS = [
  "uint16", "int16", "uint32", "int32", "uint64", "int64", "float32", "float64", "bit",
] as const; // prettier-ignore

const fresh = (name: string, at: number): RegisterPart => ({
  name,
  at,
  table: "holding",
  holds: "uint16",
  order: "high first",
  none: [],
  bit: null,
  writable: false,
});

/** A register map as it stands in a spreadsheet or a manual: name, address, what it holds, table, order. */
export function pasted(text: string): RegisterPart[] {
  return text
    .split("\n")
    .map((line) => line.trim())
    .filter(Boolean)
    .map((line, index) => {
      const cells = line.split(/\t|;|,/).map((cell) => cell.trim());
      const [name = "", at = "", holds = "uint16", ...rest] = cells;
      const address = /^0x[0-9a-f]+$/i.test(at) ? parseInt(at, 16) : Number(at || NaN);
      if (!name || !Number.isInteger(address) || address < 0 || address > 65535)
        throw new Error(
          `Line ${index + 1}: a name and an address from 0 to 65535 are wanted, as in “pressure, 0, float32”.`,
        );
      const known = HOLDS.find((one) => one === holds.toLowerCase());
      if (!known)
        throw new Error(`Line ${index + 1}: “${holds}” is not known. Known are ${HOLDS.join(", ")}.`);
      const table = TABLES.find((one) => rest.some((cell) => cell.toLowerCase() === one)) ?? "holding";
      const words = rest.some((cell) => /low/i.test(cell)) ? "low first" : "high first";
      const order = rest.some((cell) => /swap/i.test(cell)) ? `${words}, swapped` : words;
      return { ...fresh(name, address), holds: known, table, order } as RegisterPart;
    });
}

/** A value for a register, written between two polls and read back. It is the kept map that counts. */
export function WriteRegister({ instrumentKey, name }: { instrumentKey: string; name: string }) {
  const [text, setText] = useState("");
  const { run, trouble, busy } = useAct();
  const operator = useLive((live) => live.status?.run?.operator ?? "");
  const by = operator || wanted().person;
  const [done, setDone] = useState<{ good: boolean; sentence: string } | null>(null);
  // What a device does with a value cannot be taken back.
  const [asking, setAsking] = useState(false);
  const value = parsed(text);
  const good = value !== null;
  const write = (): void => {
    setAsking(false);
    if (value === null) return;
    const asked = { params: { path: { key: instrumentKey } }, body: { name, value, by } };
    run(async () => {
      setDone(null);
      setDone(await got(api.POST("/api/instruments/{key}/registers", asked)));
    });
  };
  return (
    <>
      <Entry
        label={`Write ${name}`}
        value={text}
        invalid={text !== "" && !good}
        onChange={(next) => {
          setText(next);
          setAsking(false);
        }}
        width={100}
        after={
          <Chip
            style={{ minHeight: 34 }}
            isDisabled={!good || busy || asking}
            onPress={() => setAsking(true)}
          >
            write
          </Chip>
        }
      />
      {asking && (
        <p role="alert" style={{ flex: "1 0 100%" }}>
          Write {value} to {name}? This cannot be undone here.{" "}
          <Chip autoFocus onPress={write}>
            Write
          </Chip>{" "}
          <Chip onPress={() => setAsking(false)}>Cancel</Chip>
        </p>
      )}
      {(trouble || done) && (
        <p
          role="status"
          style={{ color: done?.good && !trouble ? "var(--ink)" : "var(--fault)", flex: "1 0 100%" }}
        >
          {trouble || done?.sentence}
        </p>
      )}
    </>
  );
}

/** The device's bus address, how often it is asked, and its register map. */
export function RegisterTable({
  setup,
  change,
}: {
  setup: Setup;
  change: (changes: Partial<Setup>) => void;
}) {
  const modbus = setup.modbus;
  const [paste, setPaste] = useState<string | null>(null);
  const [trouble, setTrouble] = useState("");
  if (!modbus) return null;
  const set = (part: Partial<typeof modbus>): void => change({ modbus: { ...modbus, ...part } });
  const row = (index: number, part: Partial<RegisterPart>): void =>
    set({ registers: modbus.registers.map((one, n) => (n === index ? { ...one, ...part } : one)) });
  const free = (): string => {
    let n = modbus.registers.length + 1;
    while (modbus.registers.some((one) => one.name === `r${n}`)) n++;
    return `r${n}`;
  };
  return (
    <Rows aria-label="Register map" role="group">
      <Fields>
        <NumberEntry
          label="Bus address"
          value={modbus.unit}
          onValue={(unit) => set({ unit: unit ?? 0 })}
          width={90}
          least={0}
          most={255}
          whole
        />
        <NumberEntry
          label="Asked every, ms"
          value={milli(modbus.every_s)}
          onValue={(ms) => set({ every_s: (ms ?? 0) / 1000 })}
          width={110}
          least={0}
        />
        <NumberEntry
          label="Reply timeout, ms"
          value={milli(modbus.give_up_after_s)}
          onValue={(ms) => set({ give_up_after_s: (ms ?? 5) / 1000 })}
          width={115}
          least={5}
        />
      </Fields>
      {modbus.registers.map((one, index) => (
        <Fields key={index}>
          <Entry label="Name" value={one.name} onChange={(name) => row(index, { name })} width={130} />
          <NumberEntry
            label="Address (from 0)"
            value={one.at}
            onValue={(at) => row(index, { at: at ?? 0 })}
            width={110}
            least={0}
            most={65535}
            whole
          />
          <Select
            label="Table"
            value={one.table}
            options={TABLES}
            onChange={(table) =>
              row(index, {
                table,
                ...(table === "coil" || table === "discrete" ? { holds: "uint16", bit: null } : {}),
              })
            }
            width={100}
          />
          {(one.table === "holding" || one.table === "input") && (
            <Select
              label="Holds"
              value={one.holds}
              options={HOLDS}
              onChange={(holds) => row(index, { holds, bit: holds === "bit" ? 0 : null })}
              width={100}
            />
          )}
          {one.holds === "bit" && (
            <NumberEntry
              label="Bit"
              value={one.bit ?? 0}
              onValue={(bit) => row(index, { bit: bit ?? 0 })}
              width={60}
              least={0}
              most={15}
              whole
            />
          )}
          {/32|64/.test(one.holds) && (
            <Select
              label="Word order"
              value={one.order}
              options={["high first", "low first"]}
              onChange={(order) => row(index, { order })}
              width={110}
            />
          )}
          {(one.table === "holding" || one.table === "coil") && one.holds !== "bit" && (
            <Select
              label="Writing"
              value={one.writable ? "yes" : "no"}
              options={[
                { value: "no", text: "never" },
                { value: "yes", text: "by hand" },
              ]}
              onChange={(next) => row(index, { writable: next === "yes" })}
              width={90}
            />
          )}
          {one.writable && <WriteRegister instrumentKey={setup.instrument.id} name={one.name} />}
          <Chip
            style={{ minHeight: 34 }}
            onPress={() => set({ registers: modbus.registers.filter((_, n) => n !== index) })}
          >
            Remove
          </Chip>
        </Fields>
      ))}
      <div style={{ display: "flex", gap: 8 }}>
        <Button
          style={{ minHeight: 32 }}
          onPress={() => {
            const last = modbus.registers.at(-1);
            set({
              registers: [
                ...modbus.registers,
                fresh(free(), last ? last.at + (/32|float32/.test(last.holds) ? 2 : 1) : 0),
              ],
            });
          }}
        >
          Add a register
        </Button>
        <Button style={{ minHeight: 32 }} onPress={() => setPaste(paste === null ? "" : null)}>
          Paste a map
        </Button>
      </div>
      {paste !== null && (
        <>
          <textarea
            aria-label="Register map to paste"
            rows={4}
            placeholder={"pressure, 0, float32\ntemperature, 2, int16, input"}
            value={paste}
            onChange={(event) => setPaste(event.target.value)}
          />
          <div>
            <Button
              $kind="bright"
              style={{ minHeight: 32 }}
              isDisabled={!paste.trim()}
              onPress={() => {
                try {
                  set({ registers: [...modbus.registers, ...pasted(paste)] });
                  setPaste(null);
                  setTrouble("");
                } catch (error) {
                  setTrouble((error as Error).message);
                }
              }}
            >
              Add these
            </Button>
          </div>
          {trouble && <Trouble>{trouble}</Trouble>}
        </>
      )}
    </Rows>
  );
}
