import { useState } from "react";
import { api, type Channel, got, type Instrument, type Schemas } from "../api/client";
import { useAct } from "../api/useAct";
import { ofInstrument, useCommands } from "../commands/useCommands";
import { alike, useLive } from "../live/connection";
import { Button } from "../parts/Button";
import { useForm } from "../parts/formFields";
import { NumberEntry } from "../parts/NumberEntry";
import { Entry, Fields, Select } from "../parts/Select";
import { Tick } from "../parts/Tick";
import { Trouble, Window } from "../parts/Window";

type Order = Schemas["CaptureOrder"];
type Trigger = Schemas["Trigger"];

const KINDS: { value: Trigger["kind"]; text: string }[] = [
  { value: "now", text: "at once" },
  { value: "level", text: "a level" },
  { value: "message", text: "a message" },
  { value: "command", text: "a command" },
  { value: "time", text: "a time of the day" },
];

const EDGES = [
  { value: "rising" as const, text: "rising" },
  { value: "falling" as const, text: "falling" },
  { value: "either" as const, text: "either way" },
];

const KEPT = "tidybench-last-capture";

const FRESH: Order = {
  name: "",
  channels: [],
  samples: 1000,
  before: 0,
  times: 1,
  own_time: false,
  trigger: { kind: "now", channel: "", level: null, edge: "rising", hysteresis: 0, instrument: "", text: "", command: "", at: null },
}; // prettier-ignore

/** The last one, as far as its channels are there. */
function last(channels: readonly Channel[]): Order {
  try {
    const kept = JSON.parse(localStorage.getItem(KEPT) ?? "{}") as Partial<Order>;
    const there = (kept.channels ?? []).filter((id) => channels.some((one) => one.id === id));
    return { ...FRESH, ...kept, channels: there, trigger: { ...FRESH.trigger, ...kept.trigger } };
  } catch {
    return FRESH;
  }
}

/** How long it will take, and what the link bears. */
export function paceWords(instrument: Instrument | undefined, samples: number): string {
  if (!instrument) return "";
  const { messages_per_s: rate, asked_per_s: asked, answer_ms: answer } = instrument;
  if (!rate) return `Nothing comes from ${instrument.name} at present.`;
  const words = `${instrument.name} brings ${Number(rate.toPrecision(3))} a second at present: ${samples} samples take ${Number((samples / rate).toPrecision(2))} s.`;
  if (asked && answer && 1000 / answer > asked * 1.2)
    return `${words} It is asked ${Number(asked.toPrecision(3))} times a second; by its answer time the link bears about ${Math.floor(1000 / answer)}. For that set its interval to 0 (asked continuously).`;
  return words;
}

export function CaptureWindow({ onClose, onStarted }: { onClose: () => void; onStarted: () => void }) {
  const channels = useLive(({ status }) => status?.channels.filter((one) => !one.clock) ?? [], alike);
  const instruments = useLive(({ status }) => status?.instruments ?? [], alike);
  const [order, setOrder] = useState<Order>(() => last(channels));
  const form = useForm();
  const act = useAct();
  const told = useCommands();
  const first = channels.find((one) => one.id === order.channels[0]);
  const owner = first?.instrument ?? channels[0]?.instrument ?? "";
  const mine = channels.filter((one) => one.instrument === owner);
  const set = (part: Partial<Order>): void => setOrder({ ...order, ...part });
  const trigger = order.trigger ?? FRESH.trigger;
  const upon = (part: Partial<Trigger>): void => set({ trigger: { ...(trigger as Trigger), ...part } });
  const owners = instruments.filter((one) => channels.some(({ instrument }) => instrument === one.id));
  const chosen = order.channels.length ? order.channels : mine.slice(0, 1).map((one) => one.id);
  const watched = mine.find((one) => one.id === (trigger?.channel || chosen[0]));
  const talks = trigger?.instrument || owner;
  const start = (): void =>
    act.run(async () => {
      const whole: Order = {
        ...order,
        channels: mine.filter((one) => chosen.includes(one.id)).map((one) => one.id),
        own_time: (order.own_time ?? false) && (first?.timed_by ?? 0) > 0,
        trigger: {
          ...(trigger as Trigger),
          channel: trigger?.channel || (chosen[0] ?? ""),
          instrument: talks,
        },
      };
      localStorage.setItem(KEPT, JSON.stringify(whole));
      await got(api.POST("/api/captures", { body: whole }));
      onStarted();
    });
  return form.within(
    <Window title="Capture" open onClose={onClose}>
      <Fields>
        <Select
          label="Instrument"
          value={owner}
          options={owners.map(({ id, name }) => ({ value: id, text: name }))}
          onChange={(id) =>
            set({
              channels: channels
                .filter((one) => one.instrument === id)
                .slice(0, 1)
                .map((one) => one.id),
            })
          }
          width={220}
        />
        <NumberEntry
          label="Samples"
          value={order.samples}
          onValue={(samples) => set({ samples: samples ?? 1000 })}
          width={110}
          least={2}
          most={100_000}
          whole
        />
        <NumberEntry
          label="Of them before"
          value={order.before}
          onValue={(before) => set({ before: before ?? 0 })}
          width={110}
          least={0}
          most={20_000}
          whole
        />
        <NumberEntry
          label="How many captures"
          value={order.times}
          onValue={(times) => set({ times: times ?? 1 })}
          width={130}
          least={1}
          most={1000}
          whole
        />
      </Fields>
      <div
        role="group"
        aria-label="Channels"
        style={{ display: "flex", flexWrap: "wrap", gap: "4px 16px", maxHeight: 160, overflow: "auto" }}
      >
        {mine.map((one) => (
          <Tick
            key={one.id}
            on={chosen.includes(one.id)}
            onChange={(on) =>
              set({ channels: on ? [...chosen, one.id].slice(0, 8) : chosen.filter((id) => id !== one.id) })
            }
          >
            {one.name}
          </Tick>
        ))}
      </div>
      <Fields>
        <Select
          label="Upon"
          value={trigger?.kind ?? "now"}
          options={KINDS}
          onChange={(kind) => upon({ kind })}
          width={160}
        />
        {trigger?.kind === "level" && (
          <>
            <Select
              label="Of"
              value={watched?.id ?? ""}
              options={mine.map(({ id, name }) => ({ value: id, text: name }))}
              onChange={(channel) => upon({ channel })}
              width={180}
            />
            <NumberEntry
              label={`Level${watched?.unit ? `, ${watched.unit}` : ""}`}
              value={trigger.level}
              onValue={(level) => upon({ level })}
              width={100}
            />
            <Select
              label="Slope"
              value={trigger.edge ?? "rising"}
              options={EDGES}
              onChange={(edge) => upon({ edge })}
              width={120}
            />
            <NumberEntry
              label="Hysteresis"
              value={trigger.hysteresis}
              onValue={(by) => upon({ hysteresis: by ?? 0 })}
              width={100}
              least={0}
            />
          </>
        )}
        {(trigger?.kind === "message" || trigger?.kind === "command") && (
          <Select
            label="Of"
            value={talks}
            options={instruments.map(({ id, name }) => ({ value: id, text: name }))}
            onChange={(instrument) => upon({ instrument, command: "" })}
            width={200}
          />
        )}
        {trigger?.kind === "message" && (
          <Entry
            label="With this text in it"
            value={trigger.text ?? ""}
            onChange={(text) => upon({ text })}
            width={200}
          />
        )}
        {trigger?.kind === "command" && (
          <Select
            label="Command"
            value={trigger.command || "any"}
            options={[
              { value: "any", text: "any" },
              ...ofInstrument(told, talks).map(({ id, name }) => ({ value: id, text: name })),
            ]}
            onChange={(command) => upon({ command: command === "any" ? "" : command })}
            width={180}
          />
        )}
        {trigger?.kind === "time" && (
          <Entry
            label="At, as in 14:30"
            value={trigger.at ?? ""}
            onChange={(at) => upon({ at: at || null })}
            width={130}
          />
        )}
      </Fields>
      {(first?.timed_by ?? 0) > 0 && (
        <Tick on={order.own_time ?? false} onChange={(own_time) => set({ own_time })}>
          against the device’s own clock
        </Tick>
      )}
      <Entry
        label="Name"
        value={order.name ?? ""}
        placeholder="Capture of its channels"
        onChange={(name) => set({ name })}
        width={260}
      />
      <p style={{ color: "var(--quiet)", margin: 0, maxWidth: "70ch" }}>
        {paceWords(
          instruments.find(({ id }) => id === owner),
          order.samples ?? 1000,
        )}
      </p>
      {(act.trouble || form.wrong) && <Trouble>{act.trouble || form.wrong}</Trouble>}
      <div style={{ display: "flex", gap: 10, justifyContent: "flex-end" }}>
        <Button onPress={onClose}>Cancel</Button>
        <Button $kind="bright" onPress={start} isDisabled={act.busy || form.wrong !== "" || !chosen.length}>
          {trigger?.kind === "now" ? "Capture" : "Wait for it"}
        </Button>
      </div>
    </Window>,
  );
}
