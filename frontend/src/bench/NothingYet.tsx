import { useQuery } from "@tanstack/react-query";
import styled from "styled-components";
import { api, got } from "../api/client";
import { mono } from "../look/theme";
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
  table {
    border-collapse: collapse;
    width: 100%;
    max-width: 760px;
  }
  th {
    text-align: left;
    font-size: 12.5px;
    color: var(--quiet);
    font-weight: 600;
  }
  th,
  td {
    padding: 8px 12px 8px 0;
    border-bottom: 1px solid var(--hairline);
  }
  td:first-child {
    font-family: ${mono};
  }
`;

/** The Bench with nothing connected: the ports as they are right now, and the first step. */
export function NothingYet({ onAdd }: { onAdd: (port?: string) => void }) {
  const ports = useQuery({
    queryKey: ["ports"],
    queryFn: () => got(api.GET("/api/ports")),
    refetchInterval: 1500,
  });
  return (
    <Panel>
      <h1>Nothing is connected yet</h1>
      <p>
        These are the serial ports of this computer as they are right now. Plug your instrument's adapter in
        and it appears here; then add the instrument on that port.
      </p>
      {ports.isError && <p role="alert">{ports.error.message}</p>}
      {ports.data?.length === 0 && (
        <p>
          <b>There is no serial port.</b> Plug an adapter in. If it stays away, the cable or its driver is at
          fault.
        </p>
      )}
      {!!ports.data?.length && (
        <table>
          <thead>
            <tr>
              <th>Port</th>
              <th>What it is</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {ports.data.map((port) => (
              <tr key={port.name}>
                <td>{port.name}</td>
                <td>{port.description === "n/a" ? "serial port" : port.description}</td>
                <td>
                  <Button onPress={() => onAdd(port.name)}>Add an instrument here</Button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <Button $kind="bright" onPress={() => onAdd()}>
        Add an instrument
      </Button>
    </Panel>
  );
}
