import { useQuery } from "@tanstack/react-query";
import styled from "styled-components";
import { api, type Channel, got, said, type Schemas } from "../api/client";
import { BAUDS } from "../instruments/LinkForm";
import { count } from "../look/format";
import { Chip } from "../parts/Button";
import { BytesEntry } from "../parts/BytesEntry";
import { ControlText } from "../parts/ControlText";
import { NumberEntry } from "../parts/NumberEntry";
import { Entry, Fields, Select } from "../parts/Select";
import { Tick } from "../parts/Tick";
import { useLate } from "../parts/useLate";
import type { Destination } from "./ForwardingPage";

type Status = Schemas["DestinationStatus"];

const Card = styled.article<{ $bad: boolean }>`
  background: var(--panel);
  border: 1px solid ${({ $bad }) => ($bad ? "var(--fault)" : "var(--hairline)")};
  border-radius: var(--radius);
  padding: 12px 16px;
  margin-bottom: 10px;
  display: grid;
  gap: 10px;
  .state {
    display: flex;
    flex-wrap: wrap;
    gap: 2px 18px;
    color: var(--quiet);
    font-variant-numeric: tabular-nums;
  }
  .bad {
    color: var(--fault);
    font-weight: 600;
  }
  .channels {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 16px;
    max-height: 140px;
    overflow: auto;
  }
  .look {
    font-family: "Atkinson Hyperlegible Mono Variable", monospace;
    font-weight: 600;
    overflow-wrap: anywhere;
  }
  .last {
    display: flex;
    gap: 16px;
    align-items: center;
  }
`;

const KINDS = [
  { value: "serial" as const, text: "serial port" },
  { value: "tcp" as const, text: "TCP" },
  { value: "tcp server" as const, text: "TCP, others connect" },
  { value: "udp" as const, text: "UDP" },
  { value: "pty" as const, text: "pseudo-terminal" },
  { value: "file" as const, text: "file" },
  { value: "mqtt" as const, text: "MQTT broker" },
  { value: "modbus" as const, text: "Modbus registers" },
];

const SERIAL = {
  kind: "serial" as const, port: "", baud: 9600, data_bits: 8 as const, parity: "none" as const, stop_bits: 1 as const,
  flow_control: "none" as const, rts: "on" as const, dtr: "on" as const, character_gap_ms: 0, command_gap_ms: 0, echo: false,
}; // prettier-ignore

const FRESH: Record<(typeof KINDS)[number]["value"], Destination["to"]> = {
  serial: SERIAL,
  tcp: { kind: "tcp", host: "127.0.0.1", tcp_port: 4001 },
  "tcp server": { kind: "tcp server", listen_on: "127.0.0.1", tcp_port: 4001 },
  udp: { kind: "udp", host: "127.0.0.1", udp_port: 5005 },
  pty: { kind: "pty", path: "" },
  file: { kind: "file", path: "" },
  mqtt: {
    kind: "mqtt", host: "127.0.0.1", tcp_port: 1883, topic: "bench/values", version: "5", quality: 1, retain: false, state_topic: "",
    tls: false, ca_file: "", user: "", password_file: "", client_id: "",
  }, // prettier-ignore
  modbus: { kind: "modbus", listen_on: "127.0.0.1", tcp_port: 1502 },
};

const STATES: Record<Status["state"], string> = {
  off: "off",
  opening: "is being opened",
  sending: "sending",
  away: "away",
  wrong: "cannot be sent",
};

/** How a destination stands, as figures in words. */
export function figuresOf(status: Status): string[] {
  const { sent, waiting, dropped, late_ms: late, answered } = status;
  return [
    STATES[status.state],
    `${count(sent)} sent`,
    waiting ? `${count(waiting)} wait` : "",
    dropped ? `${count(dropped)} dropped` : "none dropped",
    late === null ? "" : `99 % within ${late < 1000 ? `${late} ms` : `${(late / 1000).toFixed(1)} s`}`,
    answered ? `${count(answered)} bytes came back, read by nobody` : "",
  ].filter(Boolean);
}

export interface DestinationCardProps {
  part: Destination;
  channels: readonly Channel[];
  status: Status | undefined;
  onPart: (part: Destination) => void;
  onRemove: () => void;
}

/** Where, which, when and how; and what went out. */
export function DestinationCard({ part, channels, status, onPart, onRemove }: DestinationCardProps) {
  const set = (changes: Partial<Destination>): void => onPart({ ...part, ...changes });
  const late = useLate(part, 300);
  const look = useQuery({
    queryKey: ["forwarding look", late],
    queryFn: () => got(api.POST("/api/forwarding/look", { body: late })),
    placeholderData: (old) => old,
    retry: false,
  });
  const bad = status?.state === "away" || status?.state === "wrong";
  const why = status?.why || (look.error ? said(look.error) : look.data?.why) || "";
  const shown: { id: string; name: string }[] = channels.filter((one) => !one.clock);
  const gone = part.channels
    .filter((id) => !channels.some((one) => one.id === id))
    .map((id) => ({ id, name: `${id} (not on this bench)` }));
  const kind = part.to.kind ?? "serial";
  const registers = kind === "modbus";
  return (
    <Card $bad={bad} aria-label={part.name}>
      {status && (
        <div className="state" role="status">
          {figuresOf(status).map((words, n) => (
            <span key={n} className={bad && n === 0 ? "bad" : undefined}>
              {words}
            </span>
          ))}
        </div>
      )}
      {why && <div className="bad">{why}</div>}
      <Fields>
        <Entry label="Name" value={part.name} onChange={(name) => name && set({ name })} width={180} />
        <Select
          label="To"
          value={kind}
          options={KINDS}
          onChange={(next) =>
            set({
              to: FRESH[next],
              ...(next === "modbus" && {
                every_s: part.every_s || 1,
                pattern: "",
                missing: part.missing === "leave out" ? "token" : (part.missing ?? "token"),
              }),
            })
          }
          width={180}
        />
        <Where to={part.to} onTo={(to) => set({ to })} />
        <Tick on={part.on ?? true} onChange={(on) => set({ on })}>
          on
        </Tick>
      </Fields>
      <div className="channels" role="group" aria-label={`Channels of ${part.name}`}>
        {[...shown, ...gone].map((one) => (
          <Tick
            key={one.id}
            on={part.channels.includes(one.id)}
            onChange={(on) => {
              const next = on ? [...part.channels, one.id] : part.channels.filter((id) => id !== one.id);
              if (next.length) set({ channels: next });
            }}
          >
            {one.name}
          </Tick>
        ))}
      </div>
      <Fields>
        <NumberEntry
          label="Every, s"
          value={part.every_s || null}
          onValue={(every) => set({ every_s: every ?? (registers ? 1 : 0) })}
          width={230}
          least={0.001}
          empty={!registers}
          placeholder={`each reading of ${channels.find(({ id }) => id === part.channels[0])?.name ?? "the first"}`}
        />
        {!registers && (
          <BytesEntry
            label="Written as"
            value={part.pattern ?? ""}
            placeholder={kind === "mqtt" ? "JSON" : "a JSON line"}
            onChange={(pattern) => set({ pattern })}
            width={320}
          />
        )}
        <Select
          label="What is missing"
          value={part.missing ?? "token"}
          options={[
            { value: "token" as const, text: registers ? "NaN in its place" : "a word in its place" },
            ...(registers ? [] : [{ value: "leave out" as const, text: "nothing is sent" }]),
            { value: "last" as const, text: "the last value" },
          ]}
          onChange={(missing) => set({ missing })}
          width={170}
        />
        {(part.missing ?? "token") === "token" && part.pattern && (
          <Entry label="Word" value={part.token ?? "NaN"} onChange={(token) => set({ token })} width={90} />
        )}
      </Fields>
      {part.pattern && look.data && (
        <div className="state">
          In a pattern:{" "}
          {Object.values(look.data.fields)
            .map((name) => `<${name}>`)
            .join(" ")}
        </div>
      )}
      {registers && look.data && (
        <div className="state">
          <span>Registers (holding and input): 0 time, milliseconds, number of channels</span>
          {Object.entries(look.data.registers).map(([id, first]) => (
            <span key={id}>
              {first} {channels.find((one) => one.id === id)?.name ?? id}
            </span>
          ))}
          <span>
            Each: the value as a 32-bit float, high word first; state (0 measured, 1 last, 2 missing); age in
            0.1 s
          </span>
        </div>
      )}
      {look.data?.message && (
        <div className="look">
          <ControlText text={look.data.message} />
        </div>
      )}
      <div className="last">
        <Chip onPress={onRemove}>Remove</Chip>
      </div>
    </Card>
  );
}

function Where({ to, onTo }: { to: Destination["to"]; onTo: (to: Destination["to"]) => void }) {
  if (to.kind === "tcp")
    return (
      <HostAndPort
        label="Computer"
        host={to.host}
        port={to.tcp_port}
        onHost={(host) => onTo({ ...to, host })}
        onPort={(tcp_port) => onTo({ ...to, tcp_port })}
      />
    );
  if (to.kind === "tcp server")
    return (
      <HostAndPort
        label="Listens on"
        host={to.listen_on ?? ""}
        port={to.tcp_port}
        onHost={(listen_on) => onTo({ ...to, listen_on })}
        onPort={(tcp_port) => onTo({ ...to, tcp_port })}
      />
    );
  if (to.kind === "udp")
    return (
      <HostAndPort
        label="Computer"
        host={to.host}
        port={to.udp_port}
        onHost={(host) => onTo({ ...to, host })}
        onPort={(udp_port) => onTo({ ...to, udp_port })}
      />
    );
  if (to.kind === "modbus")
    return (
      <HostAndPort
        label="Listens on"
        host={to.listen_on ?? ""}
        port={to.tcp_port ?? 1502}
        onHost={(listen_on) => onTo({ ...to, listen_on })}
        onPort={(tcp_port) => onTo({ ...to, tcp_port })}
      />
    );
  if (to.kind === "mqtt") return <BrokerFields to={to} onTo={onTo} />;
  if (to.kind === "file" || to.kind === "pty")
    return <Entry label="Path" value={to.path} onChange={(path) => onTo({ ...to, path })} width={280} />;
  return (
    <>
      <Entry
        label="Port"
        value={to.port}
        placeholder="/dev/ttyUSB1"
        onChange={(port) => onTo({ ...to, port })}
        width={200}
      />
      <NumberEntry
        label="Baud rate"
        value={to.baud}
        onValue={(baud) => onTo({ ...to, baud: baud ?? 9600 })}
        width={110}
        among={BAUDS}
        least={50}
        whole
      />
    </>
  );
}

const QUALITIES = [
  { value: "0", text: "at most once" },
  { value: "1", text: "at least once" },
  { value: "2", text: "exactly once" },
];

type Broker = Extract<Destination["to"], { kind: "mqtt" }>;

function BrokerFields({ to, onTo }: { to: Broker; onTo: (to: Broker) => void }) {
  const set = (changes: Partial<Broker>): void => onTo({ ...to, ...changes });
  const usual = to.tls ? 8883 : 1883;
  return (
    <>
      <HostAndPort
        label="Broker"
        host={to.host}
        port={to.tcp_port ?? usual}
        onHost={(host) => set({ host })}
        onPort={(tcp_port) => set({ tcp_port })}
      />
      <Entry label="Topic" value={to.topic} onChange={(topic) => topic && set({ topic })} width={180} />
      <Entry
        label="Topic of its state"
        value={to.state_topic ?? ""}
        placeholder="none"
        onChange={(state_topic) => set({ state_topic })}
        width={160}
      />
      <Select
        label="Version"
        value={to.version ?? "5"}
        options={[
          { value: "5" as const, text: "MQTT 5" },
          { value: "3.1.1" as const, text: "MQTT 3.1.1" },
        ]}
        onChange={(version) => set({ version })}
        width={120}
      />
      <Select
        label="Delivered"
        value={String(to.quality ?? 1)}
        options={QUALITIES}
        onChange={(quality) => set({ quality: Number(quality) as 0 | 1 | 2 })}
        width={130}
      />
      <Entry
        label="User"
        value={to.user ?? ""}
        placeholder="none"
        onChange={(user) => set(user ? { user } : { user, password_file: "" })}
        width={120}
      />
      {to.user && (
        <Entry
          label="File with the password"
          value={to.password_file ?? ""}
          placeholder="~/broker.password"
          onChange={(password_file) => set({ password_file })}
          width={190}
        />
      )}
      {to.tls && (
        <Entry
          label="File of certificates"
          value={to.ca_file ?? ""}
          placeholder="those of this computer"
          onChange={(ca_file) => set({ ca_file })}
          width={190}
        />
      )}
      <Tick
        on={to.tls ?? false}
        onChange={(tls) =>
          set({
            tls,
            ...(to.tcp_port === usual && { tcp_port: tls ? 8883 : 1883 }),
            ...(!tls && { ca_file: "" }),
          })
        }
      >
        TLS
      </Tick>
      <Tick on={to.retain ?? false} onChange={(retain) => set({ retain })}>
        the broker keeps the last one
      </Tick>
    </>
  );
}

interface HostAndPortProps {
  label: string;
  host: string;
  port: number;
  onHost: (host: string) => void;
  onPort: (port: number) => void;
}

function HostAndPort({ label, host, port, onHost, onPort }: HostAndPortProps) {
  return (
    <>
      <Entry label={label} value={host} onChange={onHost} width={150} />
      <NumberEntry
        label="Port number"
        value={port}
        onValue={(next) => onPort(next ?? 4001)}
        width={100}
        least={1}
        most={65_535}
        whole
      />
    </>
  );
}
