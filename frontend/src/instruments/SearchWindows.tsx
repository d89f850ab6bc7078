import { useEffect, useState } from "react";
import { ProgressBar } from "react-aria-components";
import styled from "styled-components";
import type { Port, SearchRow, SerialPart } from "../api/client";
import { mono } from "../look/theme";
import { Button } from "../parts/Button";
import { ControlText, hex } from "../parts/ControlText";
import { unescaped } from "../parts/escapes";
import { NumberEntry } from "../parts/NumberEntry";
import { Entry, Fields } from "../parts/Select";
import { Actions, Trouble, Window } from "../parts/Window";
import { BAUDS, portName } from "./LinkForm";
import { useSearch } from "./useSearch";

const Rows = styled.div`
  max-height: 260px;
  overflow: auto;
  border: 1px solid var(--hairline);
  border-radius: var(--radius);
  table {
    border-collapse: collapse;
    width: 100%;
    font-size: 13px;
  }
  td,
  th {
    text-align: left;
    padding: 4px 10px;
    border-bottom: 1px solid var(--ruling);
    vertical-align: top;
  }
  th {
    color: var(--quiet);
    font-weight: 600;
  }
  .data {
    font-family: ${mono};
    overflow-wrap: anywhere;
  }
  .number {
    text-align: right;
    white-space: nowrap;
  }
  tr[data-good="true"] td {
    background: var(--chosen);
    font-weight: 600;
  }
`;

const Bar = styled(ProgressBar)`
  height: 6px;
  border-radius: 3px;
  background: var(--ruling);
  overflow: hidden;
  div {
    height: 100%;
    background: var(--action);
  }
`;

function Progress({ part }: { part: number }) {
  return (
    <Bar aria-label="How much is done" value={part} maxValue={1}>
      {({ percentage }) => <div style={{ width: `${percentage}%` }} />}
    </Bar>
  );
}

/** What came, as text where it is text, else in hexadecimal. */
function Data({ data }: { data: string }) {
  const odd = Array.from(data).filter((char) => {
    const code = char.charCodeAt(0);
    return code > 0x7e || (code < 0x20 && !"\r\n\t\u0002\u0003".includes(char));
  }).length;
  return odd > data.length / 5 ? <>{hex(data.slice(0, 24))}</> : <ControlText text={data} />;
}

function Evidence({ rows, found }: { rows: SearchRow[]; found?: SearchRow | null }) {
  if (!rows.length) return null;
  // The best on top, then the newest.
  const others = rows.filter((row) => row.what !== found?.what).reverse();
  const sorted = found ? [found, ...others] : others;
  return (
    <Rows tabIndex={0} aria-label="What came">
      <table>
        <tbody>
          {sorted.map((row, index) => (
            <tr key={index} data-good={found?.what === row.what}>
              <td style={{ whiteSpace: "nowrap" }}>{row.what}</td>
              <td className="number">{row.score ? `${Math.round(row.score * 100)} %` : ""}</td>
              <td>
                {row.words}
                <div className="data">
                  <Data data={row.data} />
                </div>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </Rows>
  );
}

export interface OneSearchProps {
  link: SerialPart;
  onClose: () => void;
}

/** Works out baud rate, data bits and parity: by listening first, then by asking, if that is wanted. */
export function SettingsWindow({
  link,
  query: first,
  onClose,
  onUse,
}: OneSearchProps & { query: string; onUse: (settings: Partial<SerialPart>) => void }) {
  const { search, trouble, start, stop } = useSearch();
  const [query, setQuery] = useState(first);
  const [wrong, setWrong] = useState("");
  const begin = (asks: boolean): void => {
    try {
      setWrong("");
      start({ search: "settings", ports: [link.port], query: asks ? unescaped(query) : "" });
    } catch (error) {
      setWrong(error instanceof Error ? error.message : String(error));
    }
  };
  const running = search !== null && !search.done;
  const found = search?.done ? search.found : null;
  return (
    <Window title="Work out the settings" open wide onClose={onClose}>
      {!search && (
        <p>
          First it listens: an instrument that talks by itself gives its settings away. If it stays silent it
          can be asked, at one setting after the other. Then a command is sent{" "}
          <b>many times, garbled for the instrument</b> at all settings but the right one: choose one that
          only reads.
        </p>
      )}
      {search && (
        <>
          <p role="status" style={{ fontWeight: 600 }}>
            {search.sentence}
          </p>
          {running && <Progress part={search.progress} />}
          <Evidence rows={search.rows} found={search.found} />
        </>
      )}
      <Entry
        label="Query that only reads (\r is CR, \n is LF)"
        value={query}
        onChange={setQuery}
        mono
        placeholder="*IDN?\n"
      />
      {(trouble || wrong) && <Trouble>{trouble || wrong}</Trouble>}
      <Actions>
        <Button onPress={onClose}>Close</Button>
        {running ? (
          <Button onPress={() => void stop()}>Stop</Button>
        ) : (
          <>
            <Button onPress={() => begin(false)}>Listen only</Button>
            <Button $kind={found ? "quiet" : "bright"} isDisabled={!query} onPress={() => begin(true)}>
              Listen, then ask
            </Button>
          </>
        )}
        {found && (
          <Button $kind="bright" onPress={() => onUse(found.settings as Partial<SerialPart>)}>
            Use {found.what}
          </Button>
        )}
      </Actions>
    </Window>
  );
}

/** Asks one bus address after the other. */
export function AddressWindow({ link, onClose }: OneSearchProps) {
  const { search, trouble, start, stop } = useSearch();
  const [query, setQuery] = useState("");
  const [first, setFirst] = useState(1);
  const [last, setLast] = useState(32);
  const [wrong, setWrong] = useState("");
  const running = search !== null && !search.done;
  const begin = (): void => {
    try {
      setWrong("");
      const { port, baud, data_bits, parity, stop_bits } = link;
      start({
        search: "addresses", ports: [port], query: unescaped(query), baud, data_bits, parity, stop_bits,
        first, last,
      }); // prettier-ignore
    } catch (error) {
      setWrong(error instanceof Error ? error.message : String(error));
    }
  };
  return (
    <Window title="Find addresses" open wide onClose={onClose}>
      <p>
        Every address is asked once, at {link.baud} baud. <b>This sends to whatever is on the line</b>: with
        Modbus a request that only reads a register; with a query of your own, that query.
      </p>
      <Fields>
        <Entry
          label="Query with <address> in it; empty for Modbus RTU"
          value={query}
          onChange={setQuery}
          mono
          placeholder="Modbus RTU: read holding register 0"
          width={340}
        />
        <NumberEntry
          label="From"
          value={first}
          onValue={(from) => setFirst(from ?? 1)}
          width={70}
          least={0}
          most={255}
          whole
        />
        <NumberEntry
          label="to"
          value={last}
          onValue={(to) => setLast(to ?? 32)}
          width={70}
          least={0}
          most={255}
          whole
        />
      </Fields>
      {search && (
        <>
          <p role="status" style={{ fontWeight: 600 }}>
            {search.sentence}
          </p>
          {running && <Progress part={search.progress} />}
          <Evidence rows={search.rows} />
        </>
      )}
      {(trouble || wrong) && <Trouble>{trouble || wrong}</Trouble>}
      <Actions>
        <Button onPress={onClose}>Close</Button>
        {running ? (
          <Button onPress={() => void stop()}>Stop</Button>
        ) : (
          <Button $kind="bright" onPress={begin}>
            Ask the addresses
          </Button>
        )}
      </Actions>
    </Window>
  );
}

/** Proves the cable: what is sent must come back. */
export function LoopBackWindow({ link, onClose }: OneSearchProps) {
  const { search, trouble, start } = useSearch();
  const { port, baud, data_bits, parity, stop_bits } = link;
  return (
    <Window title="Loop-back test" open wide onClose={onClose}>
      <p>
        Take the cable off the instrument and join <b>pins 2 and 3</b> at its far end (on a 9-pin plug:
        received and transmitted data). What is sent on {port} must then come back.
      </p>
      {search && (
        <>
          <p role="status" style={{ fontWeight: 600 }}>
            {search.sentence}
          </p>
          <Evidence rows={search.rows} />
        </>
      )}
      {trouble && <Trouble>{trouble}</Trouble>}
      <Actions>
        <Button onPress={onClose}>Close</Button>
        <Button
          $kind="bright"
          isDisabled={search !== null && !search.done}
          onPress={() => start({ search: "loop-back", ports: [port], baud, data_bits, parity, stop_bits })}
        >
          {search ? "Test again" : "Test"}
        </Button>
      </Actions>
    </Window>
  );
}

/** Listens on several ports at once, to see which is which. */
export function ListenOnAllPortsWindow({
  ports,
  onClose,
  onAdd,
}: {
  ports: Port[];
  onClose: () => void;
  onAdd: (port: string, baud: number) => void;
}) {
  const { search, trouble, start } = useSearch();
  const [baud, setBaud] = useState(9600);
  const [asked] = useState(() => ports.filter((port) => !port.used_by.length).map((port) => port.name));
  const begin = (rate: number): void => {
    if (asked.length) start({ search: "listen on all ports", ports: asked, baud: rate });
  };
  useEffect(() => begin(9600), []); // eslint-disable-line react-hooks/exhaustive-deps
  const rows = search?.rows ?? [];
  return (
    <Window title="Listen on all ports" open wide onClose={onClose}>
      <p role="status">
        {asked.length
          ? (search?.sentence ?? "Opening the ports …")
          : "Every port is used by an instrument already: their bytes are on the tape."}
      </p>
      <NumberEntry
        label="Baud rate"
        value={baud}
        among={BAUDS}
        onValue={(rate) => {
          setBaud(rate ?? 9600);
          begin(rate ?? 9600);
        }}
        least={50}
        whole
        width={110}
      />
      {rows.length > 0 && (
        <Rows tabIndex={0} aria-label="Ports" style={{ maxHeight: 340 }}>
          <table>
            <thead>
              <tr>
                <th>Port</th>
                <th className="number">Bytes/s</th>
                <th>Last line</th>
                <th />
              </tr>
            </thead>
            <tbody>
              {rows.map((row) => {
                const port = ports.find((one) => one.name === row.what);
                return (
                  <tr key={row.what} data-good={row.score > 0.9}>
                    <td>{port ? portName(port) : row.what}</td>
                    <td className="number">{row.bytes_per_s.toFixed(0)}</td>
                    <td>
                      {row.data ? (
                        <div className="data">
                          <Data data={row.data} />
                        </div>
                      ) : null}
                      {row.words !== "talks" && <span style={{ color: "var(--quiet)" }}>{row.words}</span>}
                    </td>
                    <td>
                      <Button
                        style={{ minHeight: 28, padding: "0 10px" }}
                        onPress={() => onAdd(row.what, baud)}
                      >
                        Add here
                      </Button>
                    </td>
                  </tr>
                );
              })}
            </tbody>
          </table>
        </Rows>
      )}
      {trouble && <Trouble>{trouble}</Trouble>}
      <Actions>
        <Button $kind="bright" onPress={onClose}>
          Done
        </Button>
      </Actions>
    </Window>
  );
}
