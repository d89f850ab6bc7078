import { useState } from "react";
import { useNavigate } from "react-router";
import styled from "styled-components";
import { api, got, type Port } from "../api/client";
import { useAct } from "../api/useAct";
import { mono } from "../look/theme";
import { Button, Chip } from "../parts/Button";
import { Trouble } from "../parts/Window";
import { FindPort } from "./FindPort";
import { ListenOnAllPortsWindow } from "./SearchWindows";

const Panel = styled.section`
  background: var(--panel);
  border: 1px solid var(--hairline);
  border-radius: var(--radius);
  padding: 12px 14px;
  display: grid;
  gap: 10px;
  align-content: start;
  min-width: 0;
  h2 {
    font-size: 15px;
  }
  ul {
    list-style: none;
    margin: 0;
    padding: 0;
  }
  li {
    border-top: 1px solid var(--ruling);
    padding: 8px 0;
    display: grid;
    grid-template-columns: minmax(0, 1fr) auto;
    gap: 2px 10px;
    align-items: center;
  }
  .name {
    font: 600 13px/1.3 ${mono};
    overflow-wrap: anywhere;
  }
  .small {
    grid-column: 1 / -1;
    font-size: 12.5px;
    color: var(--quiet);
    overflow-wrap: anywhere;
  }
  .bad {
    color: var(--fault);
  }
  .row {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
  }
  input {
    border: 1px solid var(--hairline);
    border-radius: 6px;
    background: var(--panel);
    padding: 3px 7px;
    font-size: 12.5px;
    width: 100%;
  }
`;

/** Everything that is known of a port, in one line. */
export function portFacts(port: Port): string {
  const facts = [
    port.product && port.product !== port.description ? port.product : port.description,
    port.maker,
    port.usb_ids && `USB ${port.usb_ids}`,
    port.serial_number && `serial number ${port.serial_number}`,
    port.place && `at ${port.place}`,
    port.device !== port.name && !port.simulated && `today ${port.device}`,
  ];
  return facts.filter(Boolean).join(", ");
}

const label = (name: string, text: string): Promise<unknown> =>
  got(api.POST("/api/ports/label", { body: { name, label: text } }));

/** The ports as they are right now, and how to tell them apart. */
export function PortsPanel({ ports }: { ports: Port[] }) {
  const go = useNavigate();
  const [open, setOpen] = useState<"" | "find" | "listen">("");
  const { run, trouble } = useAct();
  const keep = (name: string, text: string): void => run(() => label(name, text));
  const add = (port: string, baud?: number): void => {
    void go(`/instruments/new?port=${encodeURIComponent(port)}${baud ? `&baud=${baud}` : ""}`);
  };
  return (
    <Panel aria-label="Ports">
      <h2>Ports</h2>
      <div className="row">
        <Button onPress={() => setOpen("find")} style={{ minHeight: 32, padding: "0 12px" }}>
          Find my port
        </Button>
        <Button
          onPress={() => setOpen("listen")}
          isDisabled={!ports.length}
          style={{ minHeight: 32, padding: "0 12px" }}
        >
          Listen on all ports
        </Button>
      </div>
      {trouble && <Trouble>{trouble}</Trouble>}
      {!ports.length && (
        <p>
          <b>There is no serial port.</b> Plug an adapter in: it appears here by itself. If it stays away, the
          cable or its driver is at fault.
        </p>
      )}
      <ul>
        {ports.map((port) => (
          <PortLine key={port.name} port={port} onLabel={keep} onAdd={add} />
        ))}
      </ul>
      {open === "find" && (
        <FindPort
          ports={ports}
          onClose={() => setOpen("")}
          onLabel={keep}
          onAdd={(port) => {
            setOpen("");
            add(port);
          }}
        />
      )}
      {open === "listen" && <ListenOnAllPortsWindow ports={ports} onClose={() => setOpen("")} onAdd={add} />}
    </Panel>
  );
}

interface PortLineProps {
  port: Port;
  onLabel: (name: string, text: string) => void;
  onAdd: (port: string) => void;
}

function PortLine({ port, onLabel, onAdd }: PortLineProps) {
  const [draft, setDraft] = useState<string | null>(null);
  const free = !port.used_by.length && !port.holder && !port.remedy;
  return (
    <li>
      <div className="name">
        {port.label && <span style={{ fontFamily: "inherit" }}>“{port.label}” </span>}
        {port.name}
      </div>
      <div className="row" style={{ flexWrap: "nowrap" }}>
        <Chip onPress={() => setDraft(draft === null ? port.label : null)} aria-label={`label ${port.name}`}>
          label
        </Chip>
        {free && (
          <Chip onPress={() => onAdd(port.name)} aria-label={`add here, on ${port.name}`}>
            add here
          </Chip>
        )}
      </div>
      {draft !== null && (
        <form
          style={{ gridColumn: "1 / -1" }}
          onSubmit={(event) => {
            event.preventDefault();
            onLabel(port.name, draft);
            setDraft(null);
          }}
        >
          <input
            aria-label={`A label of your own for ${port.name}`}
            value={draft}
            autoFocus
            placeholder="a label of your own, then Enter"
            onChange={(event) => setDraft(event.target.value)}
          />
        </form>
      )}
      <div className="small">
        {portFacts(port)}
        {port.used_by.length > 0 && `, used by ${port.used_by.join(", ")}`}
      </div>
      {port.holder && <div className="small bad">Held by {port.holder}. Close it there to use the port.</div>}
      {port.remedy && <div className="small bad">You may not open it. {port.remedy}</div>}
    </li>
  );
}
