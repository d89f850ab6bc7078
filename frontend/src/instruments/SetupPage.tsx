import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { useNavigate, useParams, useSearchParams, Link } from "react-router";
import styled from "styled-components";
import {
  api,
  type Failure,
  got,
  type Instrument,
  type PreviewRow,
  type Setup,
  type SetupForm,
  type Stage,
  type Port,
} from "../api/client";
import { useAct } from "../api/useAct";
import { useLive } from "../live/connection";
import { Button, Chip, ChipLink } from "../parts/Button";
import { ControlText, hex } from "../parts/ControlText";
import { firstFault } from "../parts/ReadingPath";
import { useForm } from "../parts/formFields";
import { useLate } from "../parts/useLate";
import { useLeaveGuard } from "../parts/useLeaveGuard";
import { Trouble } from "../parts/Window";
import { Tape } from "../tape/Tape";
import { useTapeLines } from "../tape/useTapeLines";
import { duplicate, how, readOnce, releaseOrTakeBack, remove } from "./actions";
import { afterSave, changesOf } from "./draft";
import { CommandsCard } from "./CommandsCard";
import { CurvesCard } from "./CurvesCard";
import { ChannelsStage } from "./ChannelsStage";
import { framingWords } from "./FramingFields";
import { MessagesStage } from "./MessagesStage";
import { NameWindow } from "./NameWindow";
import { type Helper, PortStage } from "./PortStage";
import { ReadingsStage } from "./ReadingsStage";
import { SetupText } from "./SetupText";
import { StageCard } from "./StageCard";

const Page = styled.main`
  display: grid;
  grid-template-columns: minmax(0, 1fr) 372px;
  gap: 12px;
  padding: 0 12px 12px;
  height: calc(100dvh - var(--above, 44px));
  min-height: 560px;
  @media (max-width: 980px) {
    grid-template-columns: minmax(0, 1fr);
    height: auto;
  }
`;

const Left = styled.div`
  min-width: 0;
  overflow-y: auto;
  display: grid;
  gap: 9px;
  align-content: start;
  padding: 0 2px 12px 0;
  .top {
    position: sticky;
    top: 0;
    z-index: 2;
    background: var(--ground);
    padding: 6px 0 6px 6px;
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 8px 12px;
  }
  h1 {
    font-size: 22px;
    overflow-wrap: anywhere;
  }
  .state {
    color: var(--quiet);
    flex: 1 1 160px;
    min-width: 0;
  }
  .acts {
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
    padding-left: 38px;
  }
`;

const STAGES = ["Port", "Bytes", "Messages", "Readings", "Channels"] as const;

const NO_PORTS: Port[] = [];

/** The set-up of an instrument: its reading path, with the settings of each stage and their evidence. */
export function SetupPage() {
  const key = useParams().id ?? "";
  const form = useQuery({
    queryKey: ["instrument", key],
    queryFn: () => got(api.GET("/api/instruments/{key}", { params: { path: { key } } })),
    // So that somebody else's save is seen before one's own.
    refetchInterval: 5_000,
    retry: false,
  });
  if (form.isError)
    return (
      <p style={{ padding: 40 }} role="alert">
        {form.error.message} <Link to="/instruments">All instruments</Link>
      </p>
    );
  if (!form.data) return <p style={{ padding: 40, color: "var(--quiet)" }}>Fetching the set-up …</p>;
  return <Form key={key} newest={form.data} />;
}

function Form({ newest }: { newest: SetupForm }) {
  // What the draft was made from; what somebody else saves meanwhile is shown beside it.
  const [form, setForm] = useState(newest);
  const go = useNavigate();
  const client = useQueryClient();
  const [address, setAddress] = useSearchParams();
  const [draft, setDraft] = useState<Setup>(form.setup);
  const [helper, setHelper] = useState<Helper>("");
  const { run: attempt, trouble, clear } = useAct();
  const [kept, setKept] = useState(() => {
    const sentence = sessionStorage.getItem(KEPT + form.key) ?? "";
    sessionStorage.removeItem(KEPT + form.key);
    return sentence;
  });
  const fields = useForm();
  const [asText, setAsText] = useState(false);
  const [naming, setNaming] = useState(false);
  const instrument = useLive(({ status }) => status?.instruments.find((one) => one.id === form.key));
  const ports = useLive(({ status }) => status?.ports ?? NO_PORTS);
  const stages = instrument?.stages ?? [];
  const fault = firstFault(stages);
  const open = address.get("stage") ?? "Messages";
  const changes = useMemo(() => changesOf(form, draft), [form, draft]);
  const dirty = Object.keys(changes).length > 0;
  const [leaving, setLeaving] = useState(false); // what is taken off the bench is not asked for any more
  const preview = usePreview(
    form.key,
    changes,
    !leaving && (open === "Readings" || open === "Messages" || open === "Channels"),
  );

  const change = (part: Partial<Setup>): void => {
    setKept("");
    clear();
    setDraft((old) => ({ ...old, ...part }));
  };
  const take = (from: SetupForm, over: Partial<Setup> = {}): void => {
    setForm(from);
    setDraft({ ...from.setup, ...over });
  };
  // Without changes of one's own the newest is simply shown.
  if (newest.version !== form.version && !dirty) take(newest);
  const others = newest.version !== form.version && dirty;
  const discard = (): void => {
    clear();
    take(newest);
    fields.reset();
  };
  const save = (what: Record<string, unknown>): void => {
    const saving = { before: form.setup, sent: draft, what };
    attempt(async () => {
      const saved = await got(
        api.PATCH("/api/instruments/{key}", {
          params: { path: { key: form.key } },
          body: { changes: what, version: form.version },
        }),
      ).catch(async (error: unknown) => {
        await client.invalidateQueries({ queryKey: ["instrument", form.key] });
        throw error;
      });
      setKept(saved.sentence);
      // The page stays as it is: where one was, and what has the focus. A look that is under way has what was there before.
      await client.cancelQueries({ queryKey: ["instrument", form.key] });
      const fresh = await client.fetchQuery({
        queryKey: ["instrument", form.key],
        queryFn: () => got(api.GET("/api/instruments/{key}", { params: { path: { key: form.key } } })),
        staleTime: 0,
      });
      setForm(fresh);
      void client.invalidateQueries({ queryKey: ["commands"] });
      setDraft((now) => afterSave(saving, now, fresh.setup));
    });
  };
  const offer = (stage: Stage): void => {
    if (stage.offer === "work out the settings") {
      setAddress({ stage: "Port" }, { replace: true });
      setHelper("settings");
    } else if (stage.offer === "take the port back" && instrument)
      attempt(() => releaseOrTakeBack(instrument));
    else if (stage.offer === "remove the echo") save({ link: { echo: true } });
    else if (stage.offer === "give it more time")
      change({
        query: draft.query.map((query) => ({
          ...query,
          give_up_after_s: better(stage, query.give_up_after_s),
        })),
      });
  };
  const stageOf = (name: Stage["name"]): Stage =>
    stages.find((one) => one.name === name) ?? {
      name, state: "nothing", words: "", sentence: "Not connected.", offer: "", figures: "",
    }; // prettier-ignore
  const part = { setup: draft, change, instrument };
  const stopped = stages.findIndex((one) => one.state === "stopped");
  const bodies: Record<Stage["name"], [string, React.ReactNode]> = {
    Port: [
      instrument ? `${instrument.link}, ${instrument.settings}` : "",
      <PortStage key="port" {...part} ports={ports} helper={helper} onHelper={setHelper} save={save} />,
    ],
    Bytes: ["", <Bytes key="bytes" instrument={instrument} />],
    Messages: [
      instrument ? `${how(instrument)}; ${framingWords(draft.framing)}` : "",
      <MessagesStage key="messages" {...part} instrumentKey={form.key} changes={changes} />,
    ],
    Readings: [
      preview.trouble ? "the patterns cannot be used yet" : "",
      <ReadingsStage
        key="readings"
        {...part}
        rows={preview.rows}
        failures={preview.failures}
        instrumentKey={form.key}
        changes={changes}
      />,
    ],
    Channels: [
      draft.channel.map((channel) => channel.name).join(", ") || "none yet",
      <ChannelsStage
        key="channels"
        setup={draft}
        change={change}
        rows={preview.rows}
        onText={() => setAsText(true)}
      />,
    ],
  };
  const guard = useLeaveGuard(
    (dirty || fields.wrong !== "") && !leaving,
    `The set-up of ${form.setup.instrument.name}`,
  );
  return fields.within(
    <Page>
      {guard}
      <Left>
        <div className="top">
          <h1>{form.setup.instrument.name}</h1>
          <span className="state" role="status">
            {kept ||
              (fault ? `${fault.name}: ${fault.words}` : instrument ? "all passing" : "not on the bench")}
          </span>
          {instrument && (
            <Button onPress={() => attempt(() => releaseOrTakeBack(instrument))}>
              {instrument.released ? "Take the port back" : "Release the port"}
            </Button>
          )}
          {(dirty || fields.wrong) && <Button onPress={discard}>Discard</Button>}
          <Button $kind="bright" isDisabled={!dirty || fields.wrong !== ""} onPress={() => save(changes)}>
            Save
          </Button>
        </div>
        {others && (
          <div style={{ paddingLeft: 32 }}>
            <Trouble>
              Version {newest.version} was saved meanwhile, by somebody else. It changes{" "}
              {partsOf(form.setup, newest.setup).join(", ")}.{" "}
              <Chip onPress={() => take(newest, mine(form.setup, draft))}>keep my changes on top of it</Chip>{" "}
              <Chip onPress={discard}>take it, and let mine go</Chip>
            </Trouble>
          </div>
        )}
        {(trouble || fields.wrong || (dirty && preview.trouble)) && (
          <div style={{ paddingLeft: 32 }}>
            <Trouble>{trouble || fields.wrong || preview.trouble}</Trouble>
          </div>
        )}
        {STAGES.map((name, index) => (
          <StageCard
            key={name}
            stage={stageOf(name)}
            summary={bodies[name][0]}
            open={open === name}
            broken={stopped >= 0 && index > stopped}
            offer={
              stageOf(name).offer ? (
                <div>
                  <Button $kind="bright" style={{ minHeight: 32 }} onPress={() => offer(stageOf(name))}>
                    {OFFERS[stageOf(name).offer ?? ""]}
                  </Button>
                </div>
              ) : undefined
            }
            onOpen={() => setAddress({ stage: open === name ? "none" : name }, { replace: true })}
          >
            {bodies[name][1]}
          </StageCard>
        ))}
        <CommandsCard
          setup={draft}
          change={change}
          instrumentKey={form.key}
          before={form.setup.command}
          instrument={instrument}
          open={open === "Commands"}
          onOpen={() => setAddress({ stage: open === "Commands" ? "none" : "Commands" }, { replace: true })}
        />
        <CurvesCard
          setup={draft}
          change={change}
          instrumentKey={form.key}
          open={open === "Curves"}
          onOpen={() => setAddress({ stage: open === "Curves" ? "none" : "Curves" }, { replace: true })}
        />
        <div className="acts">
          <Chip onPress={() => setNaming(true)}>name and group</Chip>
          {instrument?.has_queries && (
            <Chip onPress={() => attempt(() => readOnce(form.key))}>read once</Chip>
          )}
          <Chip
            onPress={() =>
              attempt(async () => void go(`/instruments/${await duplicate(form.key)}?stage=Port`))
            }
          >
            duplicate
          </Chip>
          <ChipLink href={`/api/instruments/${form.key}/file`} download>
            export
          </ChipLink>
          <Chip onPress={() => setAsText(true)}>as text</Chip>
          <Chip
            onPress={() =>
              attempt(async () => {
                setLeaving(true);
                await client.cancelQueries({ queryKey: ["preview", form.key] });
                const text = await remove(form.key).catch((error: unknown) => {
                  setLeaving(false);
                  throw error;
                });
                void go("/instruments", { state: { removed: { name: form.setup.instrument.name, text } } });
              })
            }
          >
            remove
          </Chip>
        </div>
      </Left>
      <Tape
        instruments={instrument ? [instrument] : []}
        only={instrument}
        roomy
        style={{ marginTop: 2, minHeight: 320 }}
      />
      {asText && (
        <SetupText
          instrumentKey={form.key}
          text={form.text}
          onClose={() => setAsText(false)}
          onSaved={(saved, sentence) => {
            setAsText(false);
            sessionStorage.setItem(KEPT + saved, sentence);
            void client.invalidateQueries({ queryKey: ["instrument", saved] });
            if (saved !== form.key) void go(`/instruments/${saved}`);
          }}
        />
      )}
      {naming && (
        <NameWindow
          instrument={form.setup.instrument}
          onClose={() => setNaming(false)}
          onSave={(instrument) => save({ instrument })}
        />
      )}
    </Page>,
  );
}

type Key = keyof Setup;

/** The parts of a set-up that differ. */
function partsOf(old: Setup, now: Setup): Key[] {
  const same = (key: Key): boolean => JSON.stringify(old[key]) === JSON.stringify(now[key]);
  return (Object.keys(now) as Key[]).filter((key) => !same(key));
}

/** The parts that the draft has changed. */
const mine = (old: Setup, draft: Setup): Partial<Setup> =>
  Object.fromEntries(partsOf(old, draft).map((key) => [key, draft[key]]));

const KEPT = "tidybench-kept-";
const OFFERS: Record<string, string> = {
  "work out the settings": "Work out the settings",
  "take the port back": "Take the port back",
  "give it more time": "Give it more time",
  "remove the echo": "Remove the echo",
};

/** The time that the sentence about late replies says would do, in seconds. */
function better(stage: Stage, now: number): number {
  const found = /(\d+) ms would do/.exec(stage.sentence);
  return found ? Math.max(now, Number(found[1]) / 1000) : now * 2;
}

/** What the draft would make of the messages that have come. */
function usePreview(
  key: string,
  changes: Record<string, unknown>,
  wanted: boolean,
): { rows: PreviewRow[]; failures: Failure[]; trouble: string } {
  const text = JSON.stringify(changes);
  const late = useLate(text, 250);
  const found = useQuery({
    queryKey: ["preview", key, late],
    queryFn: ({ signal }) =>
      got(
        api.POST("/api/instruments/{key}/preview", {
          signal,
          params: { path: { key } },
          body: { changes: JSON.parse(late) as Record<string, unknown> },
        }),
      ),
    refetchInterval: 1000,
    enabled: wanted,
    retry: false,
    placeholderData: (old) => old,
  });
  return {
    rows: found.data?.rows ?? [],
    failures: found.data?.failures ?? [],
    trouble: found.isError ? found.error.message : (found.data?.trouble ?? ""),
  };
}

/** The newest bytes, as text and in hexadecimal. */
function Bytes({ instrument }: { instrument: Instrument | undefined }) {
  const { lines } = useTapeLines(instrument?.link ?? "", "in", "");
  const newest = lines
    .slice(-12)
    .map((line) => line.text)
    .join("")
    .slice(-64);
  if (!instrument || !newest) return null;
  return (
    <div style={{ display: "grid", gap: 6, fontSize: 13, overflowWrap: "anywhere" }}>
      <div style={{ fontFamily: "monospace" }}>
        <ControlText text={newest} />
      </div>
      <div style={{ fontFamily: "monospace", color: "var(--quiet)" }}>{hex(newest)}</div>
    </div>
  );
}
