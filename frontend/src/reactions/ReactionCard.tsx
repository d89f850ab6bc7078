import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Button as AriaButton, Disclosure, DisclosurePanel, Heading } from "react-aria-components";
import styled from "styled-components";
import {
  api,
  type Channel,
  got,
  type InstrumentCommands,
  type ReactionPart,
  type ReactionStatus,
} from "../api/client";
import { useAct } from "../api/useAct";
import { moment, valueWords } from "../look/format";
import { Button, Chip } from "../parts/Button";
import { ListEntry } from "../parts/ListEntry";
import { NumberEntry } from "../parts/NumberEntry";
import { Entry, Fields, Select } from "../parts/Select";
import { Tick } from "../parts/Tick";
import { Toggle } from "../parts/Toggle";
import { Trouble } from "../parts/Trouble";
import { DoFields } from "./DoFields";
import {
  doing,
  type FirstOf,
  type Standing,
  standingsOf,
  standingWords,
  type Watches,
  watchedFor,
  watchingChannel,
  watchesOf,
  watching,
  watchWords,
} from "./reactionDraft";

const Card = styled(Disclosure)<{ $bad: boolean }>`
  background: var(--panel);
  border: 1px solid ${({ $bad }) => ($bad ? "var(--fault)" : "var(--hairline)")};
  border-radius: var(--radius);
  box-shadow: var(--shadow);
  margin-bottom: 8px;
  padding: 8px 16px;
  overflow-wrap: anywhere;
  h2 {
    margin: 0;
    font: inherit;
    flex: 1 1 300px;
    min-width: 0;
  }
  .head {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 4px 18px;
  }
  .opener {
    border: 0;
    background: none;
    text-align: left;
    cursor: pointer;
    padding: 4px 0;
    width: 100%;
    min-height: 36px;
    font: inherit;
    color: inherit;
    &::before {
      content: "▸";
      color: var(--quiet);
      margin-right: 10px;
    }
    &[aria-expanded="true"]::before {
      content: "▾";
    }
    b {
      font-size: 16px;
      margin-right: 12px;
    }
    span {
      color: var(--quiet);
    }
  }
  .now {
    font-weight: 700;
    min-width: 150px;
    text-align: right;
  }
  .armed {
    min-width: 150px;
  }
  .last {
    margin: 0 0 4px 24px;
    color: var(--quiet);
  }
  .bad {
    color: var(--fault);
    font-weight: 600;
  }
  .body {
    display: grid;
    grid-template-columns: minmax(0, 1fr);
    gap: 14px;
    padding: 8px 0 10px 24px;
  }
  h3 {
    font-size: 13px;
    margin: 0 0 6px;
    color: var(--quiet);
  }
  .things {
    display: grid;
    grid-template-columns: minmax(0, 1fr);
    gap: 10px;
  }
  @media (max-width: 719px) {
    .body,
    .last {
      padding-left: 0;
      margin-left: 0;
    }
    .now {
      text-align: left;
    }
  }
`;

const WATCHES: { value: Watches; text: string }[] = [
  { value: "levels", text: "levels" },
  { value: "words", text: "its words" },
  { value: "message", text: "each message" },
  { value: "loss", text: "being lost" },
];

export interface ReactionCardProps {
  part: ReactionPart;
  /** As it is in force; none where it was changed, or is new. */
  status: ReactionStatus | undefined;
  /** It is in force as it stands here. */
  kept: boolean;
  /** None of this id was ever kept. */
  isNew: boolean;
  problems: readonly string[];
  channels: readonly Channel[];
  commands: readonly InstrumentCommands[];
  procedures: readonly string[];
  first: FirstOf;
  by: string;
  open: boolean;
  onOpen: (open: boolean) => void;
  onPart: (part: ReactionPart) => void;
  onName: (name: string) => void;
  onRemove: () => void;
}

/** A reaction: what it watches, what it does, how it stands. */
export function ReactionCard(props: ReactionCardProps) {
  const { part, status, kept, problems, channels, by, open, onOpen, onPart } = props;
  const channel = channels.find((one) => one.id === part.channel);
  const { run, trouble } = useAct();
  const arm = (on: boolean): void =>
    run(() =>
      got(api.POST("/api/reactions/{key}/arm", { params: { path: { key: part.id } }, body: { on, by } })),
    );
  return (
    <Card
      $bad={problems.length > 0}
      isExpanded={open}
      onExpandedChange={onOpen}
      data-testid={`reaction-${part.id}`}
    >
      <div className="head">
        <Heading level={2}>
          <AriaButton slot="trigger" className="opener">
            <b>{part.name}</b>
            <span>{watchWords(part, channel)}</span>
          </AriaButton>
        </Heading>
        {status && (
          <span className="now">
            {status.value == null || !channel
              ? standingWords(part, status.stands, channel)
              : `${valueWords(status.value, channel)} ${channel.unit}: ${status.stands}`}
          </span>
        )}
        <span className="armed">
          {status ? (
            <Toggle on={!status.disarmed && !problems.length} onChange={arm} isDisabled={problems.length > 0}>
              {status.disarmed ? "disarmed" : problems.length > 0 ? "does not act" : "armed"}
            </Toggle>
          ) : (
            <span style={{ color: "var(--quiet)" }}>not kept yet</span>
          )}
        </span>
      </div>
      {problems.map((one) => (
        <p key={one} className="last bad">
          {one}
        </p>
      ))}
      {status?.disarmed && <p className="last">{status.disarmed}</p>}
      {status && status.count > 0 && status.last_at != null && (
        <p className={status.good ? "last" : "last bad"}>
          {status.count === 1 ? "Once" : `${status.count} times`}, last at {moment(status.last_at / 1000)}
          {status.words && `: ${status.words}`}
        </p>
      )}
      {trouble && <Trouble>{trouble}</Trouble>}
      <DisclosurePanel>
        {open && <Body {...props} channel={channel} kept={kept} onPart={onPart} />}
      </DisclosurePanel>
    </Card>
  );
}

function Body({
  part,
  kept,
  isNew,
  channel,
  channels,
  commands,
  procedures,
  first,
  by,
  onPart,
  onName,
  onRemove,
}: ReactionCardProps & { channel: Channel | undefined }) {
  const set = (change: Partial<ReactionPart>): void => onPart(watching(part, change));
  const watches = watchesOf(part);
  const unit = channel?.unit ? `, ${channel.unit}` : "";
  const can = WATCHES.filter(({ value }) =>
    value === "words" ? channel?.states.length : value !== "levels" || !channel?.states.length,
  );
  const more = standingsOf(part).find((one) => one !== "good") ?? "good";
  return (
    <div className="body">
      <div>
        <h3>What it watches</h3>
        <Fields>
          <Entry label="Name" value={part.name} onChange={onName} width={180} />
          <Select
            label="Channel"
            value={part.channel}
            options={channels.map((one) => ({ value: one.id, text: one.name }))}
            onChange={(id) =>
              onPart(
                watchingChannel(
                  part,
                  channels.find((one) => one.id === id),
                  channel,
                  !isNew,
                ),
              )
            }
            width={180}
          />
          <Select
            label="for"
            value={watches}
            options={can}
            onChange={(next) => onPart(watchedFor(part, next, channel))}
            width={130}
          />
          {watches === "levels" && (
            <>
              <NumberEntry
                label={`Below${unit}`}
                value={part.below}
                onValue={(below) => set({ below })}
                width={100}
                empty
              />
              <NumberEntry
                label={`Above${unit}`}
                value={part.above}
                onValue={(above) => set({ above })}
                width={100}
                empty
              />
              <NumberEntry
                label={`Hysteresis${unit}`}
                value={part.hysteresis}
                onValue={(hysteresis) => set({ hysteresis: hysteresis ?? 0 })}
                width={120}
                least={0}
              />
            </>
          )}
          {watches === "words" && (
            <ListEntry label="Words" values={part.words} onValues={(words) => set({ words })} width={220} />
          )}
        </Fields>
      </div>
      <Fields>
        {watches !== "message" && watches !== "loss" && (
          <NumberEntry
            label="Held for, s"
            value={part.for_s}
            onValue={(for_s) => set({ for_s: for_s ?? 0 })}
            width={110}
            least={0}
          />
        )}
        <NumberEntry
          label="Hold-off, s"
          value={part.hold_off_s}
          onValue={(hold_off_s) => set({ hold_off_s: hold_off_s ?? 0 })}
          width={110}
          least={watches === "message" ? 0.1 : 0}
        />
        <NumberEntry
          label="Not measured for, s"
          value={part.not_measured_s}
          onValue={(not_measured_s) => set({ not_measured_s })}
          width={140}
          least={0.1}
          {...(watches === "loss" ? {} : { empty: true })}
        />
        <Tick on={part.once} onChange={(once) => set({ once })}>
          once, then disarmed
        </Tick>
      </Fields>
      <div>
        <h3>What it does</h3>
        <div className="things">
          {part.do.map((one, place) => (
            <DoFields
              key={place}
              part={part}
              one={one}
              channel={channel}
              commands={commands}
              procedures={procedures}
              first={first}
              onDo={(next) => set({ do: part.do.map((each, n) => (n === place ? next : each)) })}
              onRemove={
                part.do.length > 1 ? () => set({ do: part.do.filter((_, n) => n !== place) }) : undefined
              }
            />
          ))}
        </div>
      </div>
      <Fields>
        <Button onPress={() => set({ do: [...part.do, doing(more, "mark", first)] })}>
          Add a thing to do
        </Button>
        <Chip onPress={onRemove}>Remove the reaction</Chip>
      </Fields>
      <Try part={part} channel={channel} kept={kept} by={by} />
    </div>
  );
}

/** Trying it out: what it would do at a value; and, where it is kept, doing it. */
function Try({
  part,
  channel,
  kept,
  by,
}: {
  part: ReactionPart;
  channel: Channel | undefined;
  kept: boolean;
  by: string;
}) {
  const [value, setValue] = useState<number | null>(null);
  const [asking, setAsking] = useState<Standing | null>(null);
  const { run, trouble, busy } = useAct();
  const tried = useQuery({
    queryKey: ["try reaction", part, value],
    queryFn: () => got(api.POST("/api/reactions/try", { body: { reaction: part, value, stood: "good" } })),
    enabled: value !== null,
    retry: false,
  }).data;
  const standing = value === null ? undefined : tried?.standing;
  const does = tried?.does ?? [];
  return (
    <div role="group" aria-label="Try it out">
      <h3>Try it out</h3>
      <Fields>
        <NumberEntry
          label={`Were it${channel?.unit ? `, ${channel.unit}` : ""}`}
          value={value}
          onValue={(next) => {
            setValue(next);
            setAsking(null);
          }}
          width={110}
          empty
        />
        {standing && (
          <p role="status" style={{ margin: 0, alignSelf: "center" }}>
            <b>{standingWords(part, standing, channel)}</b>: {does.join(", ") || "nothing is done"}
          </p>
        )}
        {standing && does.length > 0 && kept && asking === null && (
          <Button isDisabled={busy} onPress={() => setAsking(standing)}>
            Do it now
          </Button>
        )}
      </Fields>
      {standing && !kept && <p style={{ color: "var(--quiet)" }}>It can be done when it is kept.</p>}
      {asking && (
        <div role="alert">
          <p>It is done on the bench, as if it were measured: {does.join(", ")}.</p>
          <Fields>
            <Chip
              autoFocus
              onPress={() => {
                setAsking(null);
                run(() =>
                  got(
                    api.POST("/api/reactions/{key}/carry-out", {
                      params: { path: { key: part.id } },
                      body: { standing: asking, by },
                    }),
                  ),
                );
              }}
            >
              Do it
            </Chip>
            <Chip onPress={() => setAsking(null)}>Cancel</Chip>
          </Fields>
        </div>
      )}
      {trouble && <Trouble>{trouble}</Trouble>}
    </div>
  );
}
