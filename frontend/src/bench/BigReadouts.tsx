import { useEffect, useRef } from "react";
import styled from "styled-components";
import { valueWords } from "../look/format";
import { digits, type Theme } from "../look/theme";
import { connection } from "../live/connection";
import { Chip, Key } from "../parts/Button";
import type { LaneChannel } from "./lanes";
import { isGood, valueAt } from "../live/readings";
import { saidOf } from "./readout";

const Grid = styled.section<{ $columns: number }>`
  display: grid;
  grid-template-columns: repeat(${({ $columns }) => $columns}, minmax(0, 1fr));
  grid-auto-rows: minmax(96px, 1fr);
  gap: 10px;
  min-height: 0;
  overflow: auto;
  @media (max-width: 719px) {
    grid-template-columns: minmax(0, 1fr);
  }
`;

const Card = styled.article`
  background: var(--panel);
  border: 1px solid var(--hairline);
  border-radius: var(--radius);
  padding: 10px 18px;
  display: flex;
  flex-direction: column;
  justify-content: center;
  min-width: 0;
  overflow: hidden;
  container-type: size;
  h2 {
    font-size: clamp(15px, 9cqh, 26px);
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .digits {
    font: 700 clamp(30px, min(44cqh, 17cqw), 150px) / 1.1 ${digits};
    white-space: pre;
  }
  .unit {
    font-size: clamp(14px, 12cqh, 30px);
    color: var(--quiet);
    margin-left: 0.4em;
  }
  .limits {
    font-size: clamp(13px, 8cqh, 22px);
    color: var(--quiet);
    white-space: nowrap;
  }
  &[data-out="true"] .limits::before {
    content: "◆ ";
  }
  &[data-out="caution"] .limits::before {
    content: "◇ ";
  }
  &[data-out="true"] {
    border: 3px solid var(--fault);
    .limits {
      color: var(--fault);
      font-weight: 700;
    }
  }
  &[data-out="caution"] .limits {
    color: var(--caution);
    font-weight: 700;
  }
`;

export interface BigReadoutsProps {
  channels: LaneChannel[];
  theme: Theme;
  stale: boolean;
  onBack: () => void;
}

/** Digits for across the room. */
export function BigReadouts({ channels, theme, stale, onBack }: BigReadoutsProps) {
  const columns = channels.length <= 2 ? 1 : channels.length <= 6 ? 2 : channels.length <= 12 ? 3 : 4;
  return (
    <div style={{ display: "grid", gridTemplateRows: "minmax(0, 1fr) auto", gap: 8, minHeight: 0 }}>
      <Grid $columns={columns} aria-label="Readouts" style={{ opacity: stale ? 0.5 : 1 }}>
        {channels.map((channel) => (
          <BigReadout key={channel.id} channel={channel} ink={theme.inks[channel.ink] ?? theme.ink} />
        ))}
      </Grid>
      <div>
        <Chip onPress={onBack}>
          back to the trends <Key>R</Key>
        </Chip>
      </div>
    </div>
  );
}

function BigReadout({ channel, ink }: { channel: LaneChannel; ink: string }) {
  const card = useRef<HTMLElement>(null);
  const number = useRef<HTMLSpanElement>(null);
  const words = useRef<HTMLDivElement>(null);
  useEffect(() => {
    const write = (): void => {
      const shown = valueAt(channel, connection.samples.of(channel.number), connection.now());
      const good = isGood(shown);
      const stands = saidOf(channel, shown, false);
      if (number.current) number.current.textContent = good ? valueWords(shown.value, channel) : "–";
      if (words.current) words.current.textContent = stands.words;
      if (card.current) card.current.dataset["out"] = String(stands.level);
    };
    write();
    const timer = setInterval(write, 200);
    return () => clearInterval(timer);
  }, [channel]);
  return (
    <Card ref={card} data-testid={`big-${channel.name}`}>
      <h2>{channel.name}</h2>
      <div style={{ whiteSpace: "nowrap" }}>
        <span className="digits" ref={number} style={{ color: ink }}>
          –
        </span>
        <span className="unit">{channel.unit}</span>
      </div>
      <div className="limits" ref={words} />
    </Card>
  );
}
