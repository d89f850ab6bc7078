import { useState } from "react";
import type { Link, Port, SerialPart } from "../api/client";
import { Chip } from "../parts/Button";
import { endName, ENDS } from "../parts/escapes";
import { NumberEntry } from "../parts/NumberEntry";
import { Entry, Fields, Select } from "../parts/Select";

export const BAUDS = [
  "300", "600", "1200", "2400", "4800", "9600", "14400", "19200", "28800", "38400", "57600", "115200", "230400",
  "460800", "921600",
]; // prettier-ignore

const SERIAL: SerialPart = {
  kind: "serial", port: "", baud: 9600, data_bits: 8, parity: "none", stop_bits: 1, flow_control: "none",
  rts: "on", dtr: "on", rs485: null, character_gap_ms: 0, command_gap_ms: 0, sends_end: null, echo: false,
}; // prettier-ignore

const common = { command_gap_ms: 0, sends_end: null, echo: false };

/** A new link of a kind. */
export function freshLink(kind: Link["kind"], port = ""): Link {
  if (kind === "tcp") return { ...common, kind, host: "", tcp_port: 4001 };
  if (kind === "udp")
    return { ...common, kind, listen_port: 5005, listen_on: "127.0.0.1", host: null, udp_port: null };
  if (kind === "file") return { ...common, kind, path: "", begin: "at its end", pace: "at once" };
  return { ...SERIAL, port };
}

/** What a copy has in place of a port. */
const UNCHOSEN = "not chosen yet";

/** A port as people call it: their own label first. */
export const portName = (port: Port): string => (port.label ? `“${port.label}” (${port.name})` : port.name);

export interface LinkFormProps {
  link: Link;
  onChange: (link: Link) => void;
  ports: Port[];
}

/** How bytes reach an instrument: the kind of link, and its settings. */
export function LinkForm({ link, onChange, ports }: LinkFormProps) {
  const set = (changes: object): void => onChange({ ...link, ...changes } as Link);
  return (
    <div style={{ display: "grid", gap: 12 }}>
      <Fields>
        <Select
          label="Link"
          value={link.kind}
          options={[
            { value: "serial", text: "serial port" },
            { value: "tcp", text: "TCP" },
            { value: "udp", text: "UDP" },
            { value: "file", text: "a followed file" },
          ]}
          onChange={(kind) => onChange(freshLink(kind, ports[0]?.name))}
          width={140}
        />
        {link.kind === "serial" && <PortChoice link={link} ports={ports} set={set} />}
        {link.kind === "tcp" && (
          <>
            <Entry label="Host" value={link.host} onChange={(host) => set({ host })} width={220} />
            <NumberEntry
              label="TCP port"
              value={link.tcp_port}
              onValue={(tcp_port) => set({ tcp_port: tcp_port ?? 0 })}
              width={90}
              least={1}
              most={65535}
              whole
            />
          </>
        )}
        {link.kind === "udp" && (
          <>
            <NumberEntry
              label="Listen on UDP port"
              value={link.listen_port}
              onValue={(listen_port) => set({ listen_port: listen_port ?? 0 })}
              width={130}
              least={1}
              most={65535}
              whole
            />
            <Select
              label="Take datagrams of"
              value={link.listen_on}
              options={[
                { value: "127.0.0.1", text: "this computer" },
                { value: "0.0.0.0", text: "every network" },
                ...(["127.0.0.1", "0.0.0.0"].includes(link.listen_on)
                  ? []
                  : [{ value: link.listen_on, text: link.listen_on }]),
              ]}
              onChange={(listen_on) => set({ listen_on })}
            />
            <Entry
              label="Send to host (or whoever sent last)"
              value={link.host ?? ""}
              onChange={(host) =>
                set({ host: host || null, udp_port: host ? (link.udp_port ?? 5005) : null })
              }
              width={220}
            />
            {link.host && (
              <NumberEntry
                label="its UDP port"
                value={link.udp_port}
                onValue={(udp_port) => set({ udp_port: udp_port ?? 0 })}
                width={90}
                least={1}
                most={65535}
                whole
              />
            )}
          </>
        )}
        {link.kind === "file" && (
          <>
            <Entry label="File" value={link.path} onChange={(path) => set({ path })} width={300} mono />
            <Select
              label="Begin"
              value={link.begin}
              options={["at its end", "at its beginning"]}
              onChange={(begin) => set({ begin })}
            />
            <Entry
              label="Pace (or lines a second)"
              value={String(link.pace)}
              among={["at once", "its own"]}
              onChange={(pace) => set({ pace: Number(pace) > 0 ? Number(pace) : pace })}
              width={170}
            />
          </>
        )}
      </Fields>
      {link.kind === "serial" && <SerialFields link={link} set={set} />}
    </div>
  );
}

interface Part {
  link: SerialPart;
  set: (changes: object) => void;
}

function PortChoice({ link, ports, set }: Part & { ports: Port[] }) {
  const known = ports.some((port) => port.name === link.port);
  const none = !link.port || link.port.startsWith(UNCHOSEN);
  const [typed, setTyped] = useState(!known && !none);
  const OTHER = "\u0000";
  const options = ports.map((port) => ({
    value: port.name,
    text: `${portName(port)}${port.used_by.length ? `, used by ${port.used_by.join(", ")}` : port.holder ? `, held by ${port.holder}` : ""}`,
  }));
  if (!known && !none && !typed) options.unshift({ value: link.port, text: `${link.port} (not there now)` });
  return (
    <>
      <Select
        label="Port"
        value={typed ? OTHER : none ? "" : link.port}
        options={[
          ...(none && !typed ? [{ value: "", text: "choose a port" }] : []),
          ...options,
          { value: OTHER, text: "another, or on the network …" },
        ]}
        onChange={(port) => {
          setTyped(port === OTHER);
          if (port !== OTHER) set({ port });
        }}
        width={300}
      />
      {typed && (
        <Entry
          label="Path, or rfc2217://HOST:PORT"
          value={link.port}
          onChange={(port) => set({ port })}
          width={250}
          mono
          placeholder="rfc2217://192.0.2.7:4001"
        />
      )}
    </>
  );
}

function SerialFields({ link, set }: Part) {
  const rs485 = link.rs485 ?? null;
  const [more, setMore] = useState(
    () =>
      rs485 !== null ||
      link.rts === "off" ||
      link.dtr === "off" ||
      link.command_gap_ms > 0 ||
      link.character_gap_ms > 0,
  );
  return (
    <>
      <Fields>
        <NumberEntry
          label="Baud rate"
          value={link.baud}
          onValue={(baud) => set({ baud: baud ?? 0 })}
          width={104}
          among={BAUDS}
          least={50}
          whole
        />
        <Select
          label="Data bits"
          value={String(link.data_bits)}
          options={["8", "7", "6", "5"]}
          onChange={(bits) => set({ data_bits: Number(bits) })}
        />
        <Select
          label="Parity"
          value={link.parity}
          options={["none", "even", "odd", "mark", "space"]}
          onChange={(parity) => set({ parity })}
        />
        <Select
          label="Stop bits"
          value={String(link.stop_bits)}
          options={["1", "1.5", "2"]}
          onChange={(bits) => set({ stop_bits: Number(bits) })}
        />
        <Select
          label="Flow control"
          value={link.flow_control}
          options={[
            { value: "none", text: "none" },
            { value: "rts/cts", text: "RTS/CTS" },
            { value: "xon/xoff", text: "XON/XOFF" },
            { value: "dsr/dtr", text: "DSR/DTR" },
          ]}
          onChange={(flow_control) => set({ flow_control })}
        />
        <Chip $chosen={more} aria-expanded={more} onPress={() => setMore(!more)} style={{ minHeight: 34 }}>
          {more ? "less" : "more settings"}
        </Chip>
      </Fields>
      {more && (
        <Fields>
          <Select
            label="DTR on opening"
            value={link.dtr}
            options={["on", "off"]}
            onChange={(dtr) => set({ dtr })}
          />
          <Select
            label="RTS on opening"
            value={link.rts}
            options={["on", "off"]}
            onChange={(rts) => set({ rts })}
          />
          <Select
            label="RS-485 direction"
            value={rs485?.rts_while_sending ?? "none"}
            options={[
              { value: "none", text: "not switched" },
              { value: "on", text: "RTS on while sending" },
              { value: "off", text: "RTS off while sending" },
            ]}
            onChange={(way) =>
              set({
                rs485:
                  way === "none" ? null : { before_ms: 0, after_ms: 0, ...rs485, rts_while_sending: way },
              })
            }
          />
          {rs485 && (
            <>
              <NumberEntry
                label="before, ms"
                value={rs485.before_ms}
                onValue={(ms) => set({ rs485: { ...rs485, before_ms: ms ?? 0 } })}
                width={80}
                least={0}
              />
              <NumberEntry
                label="after, ms"
                value={rs485.after_ms}
                onValue={(ms) => set({ rs485: { ...rs485, after_ms: ms ?? 0 } })}
                width={80}
                least={0}
              />
            </>
          )}
          <NumberEntry
            label="Gap between characters, ms"
            value={link.character_gap_ms}
            onValue={(ms) => set({ character_gap_ms: ms ?? 0 })}
            width={170}
            least={0}
          />
          <NumberEntry
            label="Gap between commands, ms"
            value={link.command_gap_ms}
            onValue={(ms) => set({ command_gap_ms: ms ?? 0 })}
            width={170}
            least={0}
          />
          <Select
            label="Typed commands end with"
            value={link.sends_end ?? "same"}
            options={[
              { value: "same", text: "what its queries end with" },
              ...ENDS.map((one) => ({ value: one.value, text: endName(one.value) })),
            ]}
            onChange={(end) => set({ sends_end: end === "same" ? null : end })}
          />
          <Select
            label="The line echoes"
            value={link.echo ? "yes" : "no"}
            options={[
              { value: "no", text: "no" },
              { value: "yes", text: "yes: remove the echo" },
            ]}
            onChange={(echo) => set({ echo: echo === "yes" })}
          />
        </Fields>
      )}
    </>
  );
}
