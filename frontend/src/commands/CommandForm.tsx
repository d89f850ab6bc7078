import { useState } from "react";
import styled from "styled-components";
import { type ActStatus, api, type Argument, type Command, got, type Instrument } from "../api/client";
import { useAct } from "../api/useAct";
import { Button, Chip } from "../parts/Button";
import { useForm } from "../parts/formFields";
import { NumberEntry } from "../parts/NumberEntry";
import { Entry, Select } from "../parts/Select";
import { Trouble } from "../parts/Trouble";
import { hindrance, isGood, newestOf, outcomeWords, typedWords } from "./outcome";

const Form = styled.div<{ $narrow: boolean }>`
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: ${({ $narrow }) => ($narrow ? "5px" : "12px")};
  .fields {
    display: flex;
    flex-wrap: wrap;
    align-items: end;
    gap: 6px 10px;
  }
  .said {
    font-size: ${({ $narrow }) => ($narrow ? "12.5px" : "inherit")};
    color: var(--quiet);
    overflow-wrap: anywhere;
  }
  .said.bad {
    color: var(--fault);
    font-weight: 600;
  }
  button {
    min-height: 32px;
  }
`;

type Values = Record<string, number | string | null>;

const first = (command: Command): Values =>
  Object.fromEntries(command.arguments.map((one) => [one.field, one.default ?? one.choices[0] ?? null]));

export interface CommandFormProps {
  instrument: Instrument | undefined;
  command: Command;
  /** Who asks, "" where nobody has said. */
  by: string;
  /** In the column of the Bench: low, and not while a stage is stopped. */
  narrow?: boolean;
}

/** A command with its fields and its button; beside them what came of it last. */
export function CommandForm({ instrument, command, by, narrow = false }: CommandFormProps) {
  const [values, setValues] = useState(() => first(command));
  const [asking, setAsking] = useState(false);
  const fields = useForm();
  const { run, trouble, busy, clear } = useAct();
  const hindered = hindrance(instrument);
  const newest = newestOf(instrument, command.id);
  const wanting = command.arguments.find((one) => values[one.field] == null || values[one.field] === "");
  const closed = hindered.words !== "" && (hindered.forbids || narrow);
  const send = (): void => {
    if (!instrument) return;
    setAsking(false);
    const given = Object.entries(values).filter((pair): pair is [string, number | string] => pair[1] != null);
    run(() => give(instrument.id, command, Object.fromEntries(given), by));
  };
  const set = (field: string, value: number | string | null): void => {
    setValues({ ...values, [field]: value });
    setAsking(false);
    clear();
  };
  return fields.within(
    <Form $narrow={narrow} role="group" aria-label={command.name}>
      {command.note && !narrow && <p>{command.note}</p>}
      <div className="fields">
        {command.arguments.map((one) => (
          <ArgumentField
            key={one.field}
            argument={one}
            value={values[one.field] ?? null}
            onValue={(value) => set(one.field, value)}
            narrow={narrow}
          />
        ))}
        <Button
          $kind={narrow ? undefined : "bright"}
          style={narrow ? { width: "100%" } : undefined}
          isDisabled={closed || busy || wanting !== undefined || fields.wrong !== "" || asking}
          onPress={() => (command.does === "cannot be undone" ? setAsking(true) : send())}
        >
          {narrow ? command.name : busy ? "Sending …" : "Send"}
        </Button>
      </div>
      {asking && (
        <div role="alert">
          <p>{command.name}? This cannot be undone.</p>
          <div className="fields">
            <Chip autoFocus onPress={send}>
              {command.name}
            </Chip>
            <Chip onPress={() => setAsking(false)}>Cancel</Chip>
          </div>
        </div>
      )}
      {hindered.words && (!narrow || closed) && (
        <p className="said">
          {hindered.words}
          {!closed && " It can be sent all the same."}
        </p>
      )}
      {trouble ? <Trouble>{trouble}</Trouble> : newest && <Newest act={newest} />}
    </Form>,
  );
}

function Newest({ act }: { act: ActStatus }) {
  const typed = typedWords(act);
  return (
    <p className={isGood(act) ? "said" : "said bad"} role="status">
      {typed && <b>{typed}: </b>}
      {outcomeWords(act)}
    </p>
  );
}

interface ArgumentFieldProps {
  argument: Argument;
  value: number | string | null;
  onValue: (value: number | string | null) => void;
  narrow: boolean;
}

/** One field of a command. */
export function ArgumentField({ argument, value, onValue, narrow }: ArgumentFieldProps) {
  const { title, unit, numeric, lowest, highest, choices } = argument;
  const label = unit ? `${title}, ${unit}` : title;
  const width = narrow ? "100%" : 150;
  if (choices.length)
    return (
      <Select
        label={label}
        value={String(value ?? "")}
        options={choices.map(String)}
        onChange={(next) => onValue(choices.find((one) => String(one) === next) ?? null)}
        width={width}
      />
    );
  if (!numeric)
    return (
      <Entry label={label} value={String(value ?? "")} onChange={(next) => onValue(next)} width={width} />
    );
  return (
    <NumberEntry
      label={label}
      value={typeof value === "number" ? value : null}
      onValue={onValue}
      width={narrow ? 188 : 150}
      {...(lowest == null ? {} : { least: lowest })}
      {...(highest == null ? {} : { most: highest })}
    />
  );
}

/** Gives a command, and waits for what comes of it. A person has been asked where it cannot be undone. */
const give = (
  instrument: string,
  command: Command,
  values: Record<string, number | string>,
  by: string,
): Promise<ActStatus> =>
  got(
    api.POST("/api/instruments/{key}/commands/{command}", {
      params: { path: { key: instrument, command: command.id } },
      body: { values, by, sure: command.does === "cannot be undone" },
    }),
  );
