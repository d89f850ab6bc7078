import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import styled from "styled-components";
import { api, got, said } from "../api/client";
import { useCommands } from "../commands/useCommands";
import { useLive } from "../live/connection";
import { Button, Chip } from "../parts/Button";
import { Entry, Fields, Select } from "../parts/Select";
import { useLate } from "../parts/useLate";
import { type CardData, type CardKind, type FieldSpec, fieldsOf, KINDS } from "./cardFields";

const Box = styled.div`
  flex-basis: 100%;
  padding: 8px 0 4px;
  .line {
    margin: 10px 0;
    font:
      600 14px/1.5 "Atkinson Hyperlegible Mono Variable",
      monospace;
    overflow-wrap: anywhere;
  }
  .line.quiet {
    font-family: inherit;
    color: var(--quiet);
  }
  .line.bad {
    font-family: inherit;
    color: var(--fault);
  }
  .do {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    align-items: center;
  }
`;

const kinds = (Object.keys(KINDS) as CardKind[]).filter((kind) => kind !== "else");
const OTHERWISE = ["stop", "go on", "ask"];
const ANSWERS = ["yes or no", "number", "text", "picture"];

/** What there is on this bench to choose from. */
function useThings(): Record<NonNullable<FieldSpec["among"]>, string[]> {
  const commands = useCommands();
  const channels = useLive((live) => live.status?.channels.map((one) => one.id).join(" ") ?? "");
  const plans = useQuery({ queryKey: ["plans"], queryFn: () => got(api.GET("/api/plans")) });
  const kept = useQuery({ queryKey: ["procedures"], queryFn: () => got(api.GET("/api/procedures")) });
  const all = commands.flatMap((one) =>
    one.commands.map((each) => ({ id: `${one.instrument}.${each.id}`, takes: each.arguments.length })),
  );
  return {
    "set commands": all.filter((one) => one.takes === 1).map((one) => one.id),
    commands: all.map((one) => one.id),
    channels: channels.split(" ").filter(Boolean),
    plans: plans.data?.map((one) => one.name) ?? [],
    procedures: kept.data?.map((one) => one.name) ?? [],
    else: [],
    answers: ANSWERS,
  };
}

const FRESH: CardData = { kind: "set", fields: {} };

export interface CardEditorProps {
  /** The line as it is; null for a new step. */
  words: string | null;
  onWords: (words: string) => void;
  onClose: () => void;
  /** What else can be done with the step. */
  children?: React.ReactNode;
}

/** A step as fields. What stands in its line is read, and written, by the server: there is one grammar. */
export function CardEditor({ words, onWords, onClose, children }: CardEditorProps) {
  const [draft, setDraft] = useState<CardData | null>(null);
  const things = useThings();
  const read = useQuery({
    queryKey: ["procedure card", words],
    queryFn: () => got(api.POST("/api/procedures/card", { body: { words: words ?? "" } })),
    enabled: words !== null,
    staleTime: Infinity,
  });
  const now = draft ?? (words === null ? FRESH : read.data ? (read.data.card ?? FRESH) : null);
  const late = useLate(now, 200);
  const written = useQuery({
    queryKey: ["procedure line", late],
    queryFn: () => got(api.POST("/api/procedures/line", { body: late ?? FRESH })),
    enabled: late !== null,
    placeholderData: (old) => old,
  });
  if (read.error) return <p role="alert">{said(read.error)}</p>;
  if (!now) return null;
  // The line of older fields stays in sight, but it is not taken.
  const line = late === now && !written.isPlaceholderData ? written.data : undefined;
  const set = (name: FieldSpec["name"], value: string): void =>
    setDraft({ ...now, fields: { ...now.fields, [name]: value } });
  return (
    <Box role="group" aria-label={words === null ? "A new step" : `Step: ${words}`}>
      {read.data?.problem && !draft && (
        <p className="line bad">{read.data.problem.what} Change it in the text, or fill it in anew here.</p>
      )}
      <Fields>
        {now.kind !== "else" && (
          <Select
            label="Step"
            value={now.kind}
            options={kinds.map((value) => ({ value, text: KINDS[value].text }))}
            onChange={(kind) => setDraft({ kind, fields: now.fields })}
            width={180}
          />
        )}
        {fieldsOf(now.kind, now.fields).map((one) => (
          <OneField
            key={`${now.kind} ${one.name}`}
            spec={one}
            value={now.fields[one.name] ?? ""}
            among={one.among && things[one.among]}
            onChange={(value) => set(one.name, value)}
          />
        ))}
      </Fields>
      <p className={line?.problem ? (draft ? "line bad" : "line quiet") : "line"} role="status">
        {line ? problemWords(line.problem, now.kind) || line.words : (written.data?.words ?? "…")}
      </p>
      <div className="do">
        <Button
          $kind="bright"
          isDisabled={!line || line.problem !== "" || line.words === words}
          onPress={() => line && onWords(line.words)}
        >
          {words === null ? "Add it" : "Take it"}
        </Button>
        <Chip onPress={onClose}>Close</Chip>
        {children}
      </div>
    </Box>
  );
}

/** What is wrong, with the field as it is called here. */
const problemWords = (problem: string, kind: CardKind): string =>
  problem.replace(/^Fill in: (.+)\.$/, (whole, name: string) => {
    const field = KINDS[kind].fields.find((one) => one.name === name);
    return field ? `Fill in: ${field.label}.` : whole;
  });

interface OneFieldProps {
  spec: FieldSpec;
  value: string;
  among: string[] | undefined;
  onChange: (value: string) => void;
}

function OneField({ spec, value, among, onChange }: OneFieldProps) {
  const { label, width, placeholder } = spec;
  // What is left out stands there as what it means.
  const [usual, all] = spec.among === "else" ? ["stop", OTHERWISE] : ["yes or no", ANSWERS];
  if (spec.among === "else" || spec.among === "answers")
    return (
      <Select
        label={label}
        value={value || usual}
        options={all}
        onChange={(next) => onChange(next === usual ? "" : next)}
        width={width}
      />
    );
  return (
    <Entry
      label={label}
      value={value}
      onChange={onChange}
      width={width}
      placeholder={placeholder}
      among={among}
    />
  );
}
