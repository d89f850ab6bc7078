import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { Link } from "react-router";
import styled from "styled-components";
import { api, type Channel, got, type ReactionPart, said } from "../api/client";
import { useAct } from "../api/useAct";
import { wanted } from "../alarms/calls";
import { useCommands } from "../commands/useCommands";
import { useLive } from "../live/connection";
import { Button, ChipLink } from "../parts/Button";
import { editorLooks } from "../parts/editorLooks";
import { useForm } from "../parts/formFields";
import { Trouble } from "../parts/Trouble";
import { useLate } from "../parts/useLate";
import { useLeaveGuard } from "../parts/useLeaveGuard";
import { ReactionCard } from "./ReactionCard";
import { fresh, idFrom } from "./reactionDraft";

const Page = styled.main`
  ${editorLooks}
`;

interface Row {
  key: number;
  part: ReactionPart;
}

/** What happens by itself. */
export function ReactionsPage() {
  const channels = useLive(({ status }) => status?.channels);
  const [saved, setSaved] = useState<Saved>({ sentence: "", open: [] });
  const form = useQuery({
    queryKey: ["reactions"],
    queryFn: () => got(api.GET("/api/reactions")),
    refetchOnWindowFocus: false,
    staleTime: Infinity,
    refetchOnMount: "always",
  });
  if (form.error) return <Trouble>{said(form.error)}</Trouble>;
  if (!form.data || !channels)
    return <p style={{ padding: 40, color: "var(--quiet)" }}>Fetching the reactions …</p>;
  return (
    <Editor
      key={form.data.text}
      kept={form.data.reactions.reaction}
      was={form.data.text}
      channels={channels}
      saved={saved}
      onSaved={setSaved}
    />
  );
}

/** The last time they were kept: what was said, and which of them were open. They stay so. */
interface Saved {
  sentence: string;
  open: string[];
}

interface EditorProps {
  kept: ReactionPart[];
  /** The document that these stand in. */
  was: string;
  channels: Channel[];
  saved: Saved;
  onSaved: (saved: Saved) => void;
}

function Editor({ kept, was, channels, saved, onSaved }: EditorProps) {
  const client = useQueryClient();
  const [rows, setRows] = useState<Row[]>(() => kept.map((part, key) => ({ key, part })));
  const [opened, setOpened] = useState<ReadonlySet<number>>(
    () => new Set(kept.flatMap((part, key) => (saved.open.includes(part.id) ? [key] : []))),
  );
  const parts = useMemo(() => rows.map((row) => row.part), [rows]);
  const statuses = useLive(({ status }) => status?.reactions) ?? [];
  const operator = useLive(({ status }) => status?.run?.operator ?? "");
  const by = operator || wanted().person;
  const commands = useCommands();
  const procedures = useQuery({ queryKey: ["procedures"], queryFn: () => got(api.GET("/api/procedures")) });
  const names = (procedures.data ?? []).map((one) => one.name);
  const { run, trouble, clear, busy } = useAct();
  const fields = useForm();
  const dirty = JSON.stringify(parts) !== JSON.stringify(kept);
  const late = useLate(parts, 250);
  const checked = useQuery({
    queryKey: ["reactions check", late],
    queryFn: () => got(api.POST("/api/reactions/check", { body: { format: 1, reaction: late } })),
    placeholderData: (old) => old,
    retry: false,
  });
  const withCommands = commands.find((one) => one.commands.length > 0);
  const first = {
    instrument: withCommands?.instrument ?? "",
    command: withCommands?.commands[0]?.id ?? "",
    procedure: names[0] ?? "",
  };
  const guard = useLeaveGuard(dirty || fields.wrong !== "", "What you changed in the reactions");
  const armed = statuses.filter((one) => !one.disarmed && !one.problems.length).length;
  const set = (index: number, part: ReactionPart): void =>
    setRows(rows.map((row, n) => (n === index ? { ...row, part } : row)));
  const isNew = (part: ReactionPart): boolean => !kept.some((one) => one.id === part.id);
  const rename = (index: number, name: string): void => {
    const part = parts[index];
    if (!part) return;
    const others = parts.filter((_, n) => n !== index);
    const follows = isNew(part) && part.id === idFrom(part.name, others);
    set(index, follows ? { ...part, name, id: idFrom(name, others) } : { ...part, name });
  };
  const add = (): void => {
    const key = Math.max(-1, ...rows.map((row) => row.key)) + 1;
    setRows([...rows, { key, part: fresh(channels[0], parts) }]);
    setOpened(new Set([...opened, key]));
  };
  const keep = (): void =>
    run(async () => {
      const done = await got(
        api.PUT("/api/reactions", { body: { reactions: { format: 1, reaction: parts }, was } }),
      );
      onSaved({
        sentence: done.sentence,
        open: rows.filter((row) => opened.has(row.key)).map((row) => row.part.id),
      });
      await client.invalidateQueries({ queryKey: ["reactions"] });
    });
  const wrong = fields.wrong || (checked.error ? said(checked.error) : "");
  return fields.within(
    <Page>
      {guard}
      <div className="top">
        <h1>Reactions</h1>
        <span className="state" role="status">
          {dirty
            ? "not kept yet"
            : saved.sentence || (statuses.length ? `${armed} of ${statuses.length} armed` : "")}
        </span>
        <Link to="/procedures">Procedures</Link>
        {was && (
          <ChipLink href="/api/reactions/file" download>
            export
          </ChipLink>
        )}
        <Button isDisabled={!channels.length} onPress={add}>
          Add a reaction
        </Button>
        {dirty && (
          <Button
            onPress={() => {
              setRows(kept.map((part, key) => ({ key, part })));
              clear();
              fields.reset();
              void client.invalidateQueries({ queryKey: ["reactions"] });
            }}
          >
            Discard
          </Button>
        )}
        <Button $kind="bright" isDisabled={busy || !dirty || wrong !== ""} onPress={keep}>
          Keep
        </Button>
      </div>
      <p className="note">
        What happens by itself, decided at the very sample. It is no protective system: a cable, this computer
        or the instrument may fail. What must never happen needs a device of its own.
      </p>
      {(trouble || wrong) && <Trouble>{trouble || wrong}</Trouble>}
      {!rows.length && (
        <p style={{ padding: "12px 6px", maxWidth: "62ch" }}>
          <b>None yet.</b> A reaction watches a channel and does something when it comes to stand below, above
          or between its levels, or is not measured: switch a pump off when the sump is low, light one of
          three lamps, mark the run.
        </p>
      )}
      {rows.map(({ key, part }, index) => {
        const status = statuses.find((one) => one.id === part.id);
        const alike = kept.some((one) => JSON.stringify(one) === JSON.stringify(part));
        return (
          <ReactionCard
            key={key}
            part={part}
            status={status}
            kept={alike}
            isNew={isNew(part)}
            problems={checked.data?.find((one) => one.id === part.id)?.problems ?? status?.problems ?? []}
            channels={channels}
            commands={commands}
            procedures={names}
            first={first}
            by={by}
            open={opened.has(key)}
            onOpen={(on) =>
              setOpened(on ? new Set([...opened, key]) : new Set([...opened].filter((one) => one !== key)))
            }
            onPart={(next) => set(index, next)}
            onName={(name) => rename(index, name)}
            onRemove={() => setRows(rows.filter((_, n) => n !== index))}
          />
        );
      })}
    </Page>,
  );
}
