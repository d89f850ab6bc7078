import { useEffect, useRef } from "react";
import styled from "styled-components";
import type { Channel } from "../api/client";
import { qualityWords, valueWords } from "../look/format";
import { digits } from "../look/theme";
import { connection } from "../live/connection";
import { isGood, valueAt } from "../live/readings";

const Frame = styled.div`
  min-width: 0;
  .name {
    font-size: 12.5px;
    color: var(--quiet);
  }
  .value {
    font: 700 34px/1.15 ${digits};
    white-space: nowrap;
  }
  .unit {
    font-size: 15px;
    color: var(--quiet);
    margin-left: 8px;
  }
`;

/** A channel's newest value, written past React. */
export function LiveValue({ channel, what }: { channel: Channel; what: string }) {
  const number = useRef<HTMLSpanElement>(null);
  useEffect(() => {
    const write = (): void => {
      const shown = valueAt(channel, connection.samples.of(channel.number), connection.now());
      const text = isGood(shown) ? valueWords(shown.value, channel) : qualityWords(shown.quality) || "–";
      if (number.current && number.current.textContent !== text) number.current.textContent = text;
    };
    write();
    const timer = setInterval(write, 200);
    return () => clearInterval(timer);
  }, [channel]);
  return (
    <Frame>
      <div className="name">{what}</div>
      <span className="value" ref={number}>
        –
      </span>
      <span className="unit">{channel.unit}</span>
    </Frame>
  );
}
