import { memo, useCallback, useState } from "react";
import { Button } from "react-aria-components";
import { Link, useNavigate } from "react-router";
import styled from "styled-components";
import type { Command, Instrument, Stage } from "../api/client";
import { useAct } from "../api/useAct";
import { CommandButtons } from "../commands/CommandButtons";
import { InstrumentName } from "../commands/InstrumentName";
import { useCommands } from "../commands/useCommands";
import { how, readOnce } from "../instruments/actions";
import { type Group, grouped, meant, troubleOf } from "../instruments/grouped";
import { Chip } from "../parts/Button";
import { BeadShape, firstFault, ReadingPath } from "../parts/ReadingPath";
import { Trouble } from "../parts/Trouble";

const Column = styled.aside`
  display: flex;
  flex-direction: column;
  gap: 8px;
  min-height: 0;
  overflow-y: auto;
  scrollbar-width: thin;
  > input {
    flex: none;
    min-height: 32px;
    padding: 3px 10px;
    border: 1px solid var(--hairline);
    border-radius: var(--radius);
    background: var(--panel);
    width: 100%;
  }
  @media (max-width: 719px) {
    display: none;
  }
`;

const Card = styled.article<{ $bad: boolean }>`
  background: var(--panel);
  border: 1px solid ${({ $bad }) => ($bad ? "var(--fault)" : "var(--hairline)")};
  border-radius: var(--radius);
  box-shadow: var(--shadow);
  padding: 9px 12px 10px;
  h2 {
    font-size: 15px;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  h2 a {
    color: inherit;
    text-decoration: none;
  }
  h2 a:hover {
    text-decoration: underline;
  }
  .facts {
    display: flex;
    justify-content: space-between;
    gap: 8px;
    font-size: 12.5px;
    color: var(--quiet);
    margin-top: 3px;
  }
  .facts b {
    text-align: right;
  }
`;

/** More of them than this, and those that are well have a line each. */
const WHOLE = 6;

const GroupHead = styled(Button)`
  display: flex;
  justify-content: space-between;
  width: 100%;
  min-height: 28px;
  padding: 2px 10px;
  border: 0;
  border-radius: 6px;
  background: none;
  font-weight: 700;
  font-size: 13px;
  text-align: left;
  cursor: pointer;
  &[data-hovered] {
    background: var(--chosen);
  }
  span {
    color: var(--quiet);
    font-weight: 400;
  }
`;

const Lines = styled.ul`
  list-style: none;
  margin: 0;
  padding: 4px 10px;
  background: var(--panel);
  border: 1px solid var(--hairline);
  border-radius: var(--radius);
  li {
    display: grid;
    grid-template-columns: minmax(0, 1fr) auto 46px;
    gap: 6px;
    align-items: center;
    min-height: 28px;
    border-top: 1px solid var(--ruling);
  }
  li:first-child {
    border-top: 0;
  }
  a,
  li > button:first-child {
    color: inherit;
    font-weight: 600;
    font-size: 13px;
    line-height: 1.15;
    text-decoration: none;
    overflow-wrap: anywhere;
  }
  a:hover {
    text-decoration: underline;
  }
  .beads {
    display: flex;
  }
  .rate {
    font-size: 12px;
    color: var(--quiet);
    text-align: right;
    white-space: nowrap;
  }
`;

/** More of them than this, and they can be searched. */
const SEARCHED = 12;

export interface InstrumentColumnProps {
  instruments: Instrument[];
  /** Nobody says how they are now: what is shown is how they were. */
  stale?: boolean;
}

/** Every instrument with its reading path; of many, those that are well a line each, by their groups. */
export function InstrumentColumn({ instruments, stale = false }: InstrumentColumnProps) {
  const { run, trouble } = useAct();
  const [find, setFind] = useState("");
  const read = useCallback((instrument: Instrument): void => run(() => readOnce(instrument.id)), [run]);
  const all = useCommands();
  const told = (one: Instrument): Command[] =>
    all.find(({ instrument }) => instrument === one.id)?.commands ?? NOTHING;
  const short = instruments.length > WHOLE;
  const searched = instruments.length > SEARCHED;
  const shown = searched ? instruments.filter((one) => meant(one, find.trim())) : instruments;
  // Those in trouble first, and whole.
  const whole = short
    ? shown.filter((one) => troubleOf(one) < 2).sort((one, other) => troubleOf(one) - troubleOf(other))
    : shown;
  const rest = short ? shown.filter((one) => troubleOf(one) === 2) : [];
  return (
    <Column aria-label="Instruments">
      {searched && (
        <input
          type="search"
          aria-label="Find an instrument"
          placeholder={`find among ${instruments.length}`}
          value={find}
          onChange={(event) => setFind(event.target.value)}
        />
      )}
      {whole.map((one) => (
        <WholeInstrument key={one.id} instrument={one} stale={stale} commands={told(one)} onRead={read} />
      ))}
      {(rest.length ? grouped(rest, rest.some((one) => one.group) ? "group" : "none") : []).map((group) => (
        <GroupLines key={group.key} group={group} stale={stale} told={told} onRead={read} />
      ))}
      <CommandButtons instruments={shown} />
      {shown.length === 0 && instruments.length > 0 && <p>No instrument matches “{find.trim()}”.</p>}
      {trouble && <Trouble>{trouble}</Trouble>}
      <Link to="/instruments/new" style={{ padding: "6px 12px", fontWeight: 600 }}>
        Add an instrument
      </Link>
    </Column>
  );
}

interface OneProps {
  instrument: Instrument;
  stale: boolean;
  /** What it can be told. */
  commands: Command[];
  onRead: (instrument: Instrument) => void;
}

const NOTHING: Command[] = [];

const WholeInstrument = memo(function WholeInstrument({ instrument, stale, commands, onRead }: OneProps) {
  const go = useNavigate();
  const fault = firstFault(instrument.stages);
  const stopped = fault?.state === "stopped";
  const byHand = instrument.has_queries && !instrument.asked_per_s;
  return (
    <Card $bad={stopped} style={{ opacity: stale ? 0.5 : 1 }} data-testid={`instrument-${instrument.id}`}>
      <h2 title={instrument.name}>
        <InstrumentName id={instrument.id} name={instrument.name} commands={commands} />
      </h2>
      <ReadingPath
        stages={instrument.stages}
        onChoose={(stage) => void go(`/instruments/${instrument.id}?stage=${stage.name}`)}
      />
      <div className="facts">
        <span>{instrument.simulated ? `simulated, ${how(instrument)}` : how(instrument)}</span>
        {stale ? (
          <span>not heard</span>
        ) : fault ? (
          <b style={{ color: stopped ? "var(--fault)" : "var(--caution)" }}>{fault.words}</b>
        ) : byHand ? (
          <Chip onPress={() => onRead(instrument)} style={{ minHeight: 24 }}>
            read once
          </Chip>
        ) : (
          <span>{instrument.messages_per_s.toFixed(1)}/s</span>
        )}
      </div>
    </Card>
  );
});

interface GroupLinesProps extends Pick<OneProps, "stale" | "onRead"> {
  group: Group;
  told: (instrument: Instrument) => Command[];
}

const CLOSED = "tidybench-closed-group-";

/** The instruments of a group, a line each; closed, the group is a line. */
function GroupLines({ group, stale, told, onRead }: GroupLinesProps) {
  const [open, setOpen] = useState(() => localStorage.getItem(CLOSED + group.key) === null);
  const toggle = (): void => {
    if (open) localStorage.setItem(CLOSED + group.key, "");
    else localStorage.removeItem(CLOSED + group.key);
    setOpen(!open);
  };
  return (
    <section aria-label={group.name || "Instruments that are well"}>
      {group.name && (
        <GroupHead onPress={toggle} aria-expanded={open}>
          {group.name}
          <span>{group.instruments.length}</span>
        </GroupHead>
      )}
      {(open || !group.name) && (
        <Lines style={{ opacity: stale ? 0.5 : 1 }}>
          {group.instruments.map((one) => (
            <InstrumentLine
              key={one.id}
              instrument={one}
              stale={stale}
              commands={told(one)}
              onRead={onRead}
            />
          ))}
        </Lines>
      )}
    </section>
  );
}

const beadWords = (stages: Stage[]): string =>
  stages.every((stage) => stage.state === "passing") ? "all five stages passing" : "nothing has come yet";

const InstrumentLine = memo(function InstrumentLine({ instrument, stale, commands, onRead }: OneProps) {
  const { id, name, stages } = instrument;
  return (
    <li data-testid={`instrument-${id}`}>
      <InstrumentName id={id} name={name} commands={commands} />
      <span className="beads" role="img" aria-label={beadWords(stages)}>
        {stages.map((stage) => (
          <BeadShape key={stage.name} state={stage.state} size={9} />
        ))}
      </span>
      {instrument.has_queries && !instrument.asked_per_s ? (
        <Chip
          onPress={() => onRead(instrument)}
          style={{ padding: "0 4px" }}
          aria-label={`read ${name} once`}
        >
          read
        </Chip>
      ) : (
        <span className="rate">{stale ? "not heard" : `${instrument.messages_per_s.toFixed(1)}/s`}</span>
      )}
    </li>
  );
});
