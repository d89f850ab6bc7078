import { useState } from "react";
import {
  Button,
  MenuTrigger,
  Popover,
  type SortDescriptor,
  TableBody,
  TableHeader,
  VisuallyHidden,
} from "react-aria-components";
import { Link, useNavigate } from "react-router";
import styled from "styled-components";
import type { Instrument } from "../api/client";
import { Data, DataTable, Head, Line } from "../parts/DataTable";
import { Item, MenuBox, Rule } from "../parts/Menu";
import { firstFault, ReadingPath } from "../parts/ReadingPath";
import { how } from "./actions";
import { type Group, type SortBy, sorted } from "./grouped";

const Sheet = styled(DataTable)`
  table-layout: fixed;
  .name {
    font-weight: 700;
    color: inherit;
    text-decoration: none;
    overflow-wrap: anywhere;
  }
  .name:hover {
    text-decoration: underline;
  }
  .fault {
    font-size: 13px;
    line-height: 1.3;
    font-weight: 600;
    overflow-wrap: anywhere;
  }
  .small {
    font-size: 13px;
    color: var(--quiet);
    overflow-wrap: anywhere;
  }
  .group {
    background: var(--ruling);
    font-weight: 700;
    font-size: 13px;
    padding: 5px 10px;
  }
  .rate {
    text-align: right;
    white-space: nowrap;
  }
  @media (max-width: 719px) {
    table-layout: auto;
    .name,
    .fault {
      overflow-wrap: break-word;
    }
    .wide {
      display: none;
    }
  }
`;

const More = styled(Button)`
  min-width: 30px;
  min-height: 30px;
  border: 1px solid var(--hairline);
  border-radius: 6px;
  background: var(--panel);
  font-weight: 700;
  cursor: pointer;
  &[data-hovered] {
    border-color: var(--action);
  }
`;

export interface InstrumentActs {
  onRead: (instrument: Instrument) => void;
  onRelease: (instrument: Instrument) => void;
  onName: (instrument: Instrument) => void;
  onCopy: (instrument: Instrument) => void;
  onRemove: (instrument: Instrument) => void;
}

export interface InstrumentTableProps extends InstrumentActs {
  groups: Group[];
}

/** A row for each instrument; a press on a heading sorts, those in trouble first. */
export function InstrumentTable({ groups, ...acts }: InstrumentTableProps) {
  const go = useNavigate();
  const [sort, setSort] = useState<SortDescriptor | null>(null);
  const inOrder = (instruments: Instrument[]): Instrument[] =>
    sort ? sorted(instruments, sort.column as SortBy, sort.direction === "descending") : instruments;
  const rows = groups.flatMap(({ key, name, instruments }) => [
    ...(name ? [<Heading key={key} id={key} name={name} count={instruments.length} />] : []),
    ...inOrder(instruments).map((one) => (
      <InstrumentRow
        key={one.id}
        instrument={one}
        onOpen={(stage) => void go(`/instruments/${one.id}?stage=${stage}`)}
        {...acts}
      />
    )),
  ]);
  return (
    <Sheet
      aria-label="Instruments"
      onSortChange={setSort}
      {...(sort ? { sortDescriptor: sort } : {})}
      selectionMode="none"
    >
      <TableHeader>
        <Head id="name" isRowHeader allowsSorting>
          Name
        </Head>
        <Head id="port" allowsSorting className="wide" style={{ width: "24%" }}>
          Port
        </Head>
        <Head id="settings" className="wide" style={{ width: 104 }}>
          Settings
        </Head>
        <Head id="rate" allowsSorting className="rate" style={{ width: 96 }}>
          Messages
        </Head>
        <Head id="path" allowsSorting style={{ width: 160 }}>
          Path
        </Head>
        <Head id="acts" style={{ width: 54 }}>
          <VisuallyHidden>What can be done</VisuallyHidden>
        </Head>
      </TableHeader>
      <TableBody>{rows}</TableBody>
    </Sheet>
  );
}

function Heading({ id, name, count }: { id: string; name: string; count: number }) {
  return (
    <Line id={id} textValue={name}>
      <Data colSpan={6} className="group">
        {name}, {count} {count === 1 ? "instrument" : "instruments"}
      </Data>
    </Line>
  );
}

interface InstrumentRowProps extends InstrumentActs {
  instrument: Instrument;
  onOpen: (stage: string) => void;
}

function InstrumentRow({ instrument, onOpen, ...acts }: InstrumentRowProps) {
  const { id, name } = instrument;
  const fault = firstFault(instrument.stages);
  const ink = fault?.state === "stopped" ? "var(--fault)" : "var(--caution)";
  return (
    <Line id={id} textValue={name} data-testid={`instrument-${id}`}>
      <Data>
        <Link className="name" to={`/instruments/${id}`}>
          {name}
        </Link>
        {fault ? (
          <div className="fault" style={{ color: ink }}>
            {fault.sentence}
          </div>
        ) : (
          <div className="small">{how(instrument)}</div>
        )}
      </Data>
      <Data className="wide small">{instrument.link}</Data>
      <Data className="wide small">{instrument.settings}</Data>
      <Data className="rate">
        {instrument.messages_per_s ? `${instrument.messages_per_s.toFixed(1)}/s` : "–"}
      </Data>
      <Data style={{ width: 148 }}>
        <ReadingPath stages={instrument.stages} onChoose={(stage) => onOpen(stage.name)} />
        {fault && (
          <b style={{ color: ink, fontSize: 12.5, overflowWrap: "anywhere" }}>
            {fault.name}: {fault.words}
          </b>
        )}
      </Data>
      <Data style={{ width: 44 }}>
        <Actions instrument={instrument} onOpen={() => onOpen(fault?.name ?? "Messages")} {...acts} />
      </Data>
    </Line>
  );
}

interface ActionsProps extends InstrumentActs {
  instrument: Instrument;
  onOpen: () => void;
}

function Actions({ instrument, onOpen, onRead, onRelease, onName, onCopy, onRemove }: ActionsProps) {
  const acts: Record<string, (one: Instrument) => void> = {
    open: onOpen,
    read: onRead,
    release: onRelease,
    name: onName,
    copy: onCopy,
    remove: onRemove,
  };
  return (
    <MenuTrigger>
      <More aria-label={`What can be done with ${instrument.name}`}>⋯</More>
      <Popover placement="bottom end">
        <MenuBox aria-label={instrument.name} onAction={(key) => acts[String(key)]?.(instrument)}>
          <Item id="open">Set-up</Item>
          {instrument.has_queries && <Item id="read">Read once</Item>}
          <Item id="release">{instrument.released ? "Take the port back" : "Release the port"}</Item>
          <Rule />
          <Item id="name">Name and group</Item>
          <Item id="copy">Duplicate</Item>
          <Item id="export" href={`/api/instruments/${instrument.id}/file`} download>
            Export its set-up
          </Item>
          <Rule />
          <Item id="remove">Remove</Item>
        </MenuBox>
      </Popover>
    </MenuTrigger>
  );
}
