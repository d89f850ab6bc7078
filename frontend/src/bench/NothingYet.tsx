import styled from "styled-components";
import type { Port } from "../api/client";
import { PortsPanel } from "../instruments/PortsPanel";
import { Button } from "../parts/Button";

const Panel = styled.section`
  background: var(--panel);
  border: 1px solid var(--hairline);
  border-radius: var(--radius);
  padding: 28px 32px;
  display: grid;
  gap: 16px;
  align-content: start;
  justify-items: start;
  overflow: auto;
  h1 {
    font-size: 22px;
  }
  p {
    max-width: 62ch;
  }
`;

/** The Bench with nothing connected: the ports as they are right now, and the first step. */
export function NothingYet({ ports, onAdd }: { ports: Port[]; onAdd: () => void }) {
  return (
    <Panel>
      <h1>Nothing is connected yet</h1>
      <p>
        These are the serial ports of this computer as they are right now. Plug your instrument's adapter in
        and it appears here by itself; then add the instrument on that port.
      </p>
      <div style={{ width: "min(100%, 760px)" }}>
        <PortsPanel ports={ports} />
      </div>
      <Button $kind="bright" onPress={onAdd}>
        Add an instrument
      </Button>
    </Panel>
  );
}
