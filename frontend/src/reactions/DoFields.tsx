import type { Channel, DoPart, InstrumentCommands, ReactionPart } from "../api/client";
import { ArgumentField } from "../commands/CommandForm";
import { ofInstrument } from "../commands/useCommands";
import { Chip } from "../parts/Button";
import { Entry, Fields, Select } from "../parts/Select";
import { Tick } from "../parts/Tick";
import { defaults, doing, DOINGS, doingOf, type FirstOf, standingsOf, standingWords } from "./reactionDraft";

export interface DoFieldsProps {
  part: ReactionPart;
  one: DoPart;
  channel: Channel | undefined;
  commands: readonly InstrumentCommands[];
  procedures: readonly string[];
  first: FirstOf;
  onDo: (one: DoPart) => void;
  /** None where it is the only thing. */
  onRemove: (() => void) | undefined;
}

/** One thing that is done, and when. */
export function DoFields({ part, one, channel, commands, procedures, first, onDo, onRemove }: DoFieldsProps) {
  const what = doingOf(one);
  const set = (change: Partial<DoPart>): void => onDo({ ...one, ...change });
  const ofThis = [...commands].filter((each) => each.commands.length > 0);
  const command = ofInstrument([...commands], one.instrument ?? "").find(({ id }) => id === one.command);
  const choose = (instrument: string, id: string): void =>
    set({
      instrument,
      command: id,
      values: defaults(ofInstrument([...commands], instrument).find((each) => each.id === id)),
    });
  const can = DOINGS.filter(
    ({ value }) => (value !== "command" || first.command) && (value !== "procedure" || first.procedure),
  );
  return (
    <Fields role="group" aria-label={`${one.when}: ${what}`}>
      <Select
        label="When it is"
        value={one.when}
        options={standingsOf(part).map((value) => ({ value, text: standingWords(part, value, channel) }))}
        onChange={(when) => set({ when })}
        width={180}
      />
      <Select
        label="do"
        value={what}
        options={can}
        onChange={(next) => {
          const made = doing(one.when, next, first);
          const of = ofInstrument([...commands], made.instrument ?? "").find(({ id }) => id === made.command);
          onDo(made.command ? { ...made, values: defaults(of) } : made);
        }}
        width={160}
      />
      {what === "mark" && (
        <Entry
          label="Text of the mark"
          value={one.mark ?? ""}
          onChange={(mark) => set({ mark })}
          width={260}
        />
      )}
      {what === "banner" && (
        <>
          <Entry
            label="What is said"
            value={one.banner ?? ""}
            onChange={(banner) => set({ banner })}
            width={420}
          />
          <Tick on={one.sound} onChange={(sound) => set({ sound })}>
            with a sound
          </Tick>
        </>
      )}
      {what === "command" && (
        <>
          <Select
            label="Instrument"
            value={one.instrument ?? ""}
            options={ofThis.map((each) => ({ value: each.instrument, text: each.name }))}
            onChange={(instrument) =>
              choose(instrument, ofInstrument([...commands], instrument)[0]?.id ?? "")
            }
            width={170}
          />
          <Select
            label="Command"
            value={one.command ?? ""}
            options={ofInstrument([...commands], one.instrument ?? "").map(({ id, name }) => ({
              value: id,
              text: name,
            }))}
            onChange={(id) => choose(one.instrument ?? "", id)}
            width={200}
          />
          {command?.arguments.map((each) => (
            <ArgumentField
              key={each.field}
              argument={each}
              value={one.values[each.field] ?? null}
              onValue={(value) => {
                const others = Object.entries(one.values).filter(([field]) => field !== each.field);
                const now = value == null ? [] : [[each.field, value] as const];
                set({ values: Object.fromEntries([...others, ...now]) });
              }}
              narrow={false}
            />
          ))}
        </>
      )}
      {what === "procedure" && (
        <Select
          label="Procedure"
          value={one.procedure ?? ""}
          options={procedures}
          onChange={(procedure) => set({ procedure })}
          width={220}
        />
      )}
      {what === "begin run" && (
        <Entry
          label="Name of the run"
          value={one.begin_run ?? ""}
          onChange={(begin_run) => set({ begin_run })}
          width={220}
        />
      )}
      {onRemove && <Chip onPress={onRemove}>Remove</Chip>}
    </Fields>
  );
}
