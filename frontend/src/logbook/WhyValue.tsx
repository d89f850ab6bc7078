import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import styled from "styled-components";
import { api, got, type Schemas } from "../api/client";
import { clockMilli, dated, figure } from "../look/format";
import { mono } from "../look/theme";
import { Chip } from "../parts/Button";
import { ControlText, hex } from "../parts/ControlText";
import { Trouble } from "../parts/Window";
import { TapeView } from "../tape/TapeView";

const Box = styled.section`
  border: 1px solid var(--hairline);
  border-radius: var(--radius);
  padding: 10px 14px 12px;
  display: grid;
  gap: 8px;
  header {
    display: flex;
    gap: 10px;
    align-items: baseline;
    flex-wrap: nowrap;
  }
  h3 {
    flex: 1;
    font-size: 15px;
  }
  dl {
    display: grid;
    grid-template-columns: 76px minmax(0, 1fr);
    gap: 3px 10px;
    font-size: 13.5px;
  }
  dt {
    color: var(--quiet);
  }
  dd {
    margin: 0;
    overflow-wrap: anywhere;
  }
  code {
    font: 13px/1.5 ${mono};
  }
  ol {
    list-style: none;
    padding: 0 0 0 12px;
    margin: 0;
    border-left: 3px solid var(--action);
    display: grid;
    gap: 3px;
    font-size: 13.5px;
  }
  li {
    display: flex;
    gap: 10px;
  }
  li b {
    font: 600 13.5px ${mono};
  }
  .quiet {
    color: var(--quiet);
    font-size: 13px;
  }
`;

type Told = Schemas["Provenance"];

export interface WhyValueProps {
  run: string;
  channel: string;
  /** In milliseconds. */
  at: number;
  /** Another time is looked at: the cursor goes there. */
  onAt: (at: number) => void;
  onChannel: (id: string) => void;
  onClose: () => void;
}

/** Why a channel has the value it has: from the message's bytes, step by step. */
export function WhyValue({ run, channel, at, onAt, onChannel, onClose }: WhyValueProps) {
  const [tape, setTape] = useState(false);
  const moment = Math.round(at * 1000);
  const query = useQuery({
    queryKey: ["provenance", run, channel, moment],
    queryFn: ({ signal }) =>
      got(
        api.GET("/api/runs/{key}/provenance", {
          params: { path: { key: run }, query: { channel, moment } },
          signal,
        }),
      ),
    staleTime: Infinity,
    retry: false,
  });
  const told = query.data;
  return (
    <Box aria-label="Why this value">
      <header>
        <h3>
          {told
            ? `${dated(told.time / 1000, clockMilli(told.time / 1000))} · ${told.name}`
            : "Why this value"}
        </h3>
        {told && told.around.length > 0 && (
          <Chip $chosen={tape} aria-expanded={tape} onPress={() => setTape(!tape)}>
            its place on the tape
          </Chip>
        )}
        <Chip onPress={onClose}>Close</Chip>
      </header>
      {query.isPending && <p role="status">Reading the tape …</p>}
      {query.isError && <Trouble>{query.error.message}</Trouble>}
      {told && <Explained told={told} onChannel={onChannel} />}
      {told && tape && (
        <div style={{ height: 220, display: "flex", flexDirection: "column" }}>
          <TapeView
            lines={told.around}
            show="both"
            timeAs="clock"
            names={null}
            follows={false}
            chosen={told.sequence}
            onLine={(line) => onAt(line.at / 1000)}
            empty=""
          />
        </div>
      )}
    </Box>
  );
}

function Explained({ told, onChannel }: { told: Told; onChannel: (id: string) => void }) {
  const { value, unit, decimals, quality, why, steps = [], inputs = [] } = told;
  const number = value === null ? quality || "not measured" : `${figure(value, decimals)} ${unit}`.trim();
  const text = (bytes: string) => (
    <code>
      <ControlText text={bytes} /> <span className="quiet">{hex(bytes)}</span>
    </code>
  );
  return (
    <>
      <p className="quiet">
        why this {value === null ? "is no value" : "value is"}: <b style={{ color: "var(--ink)" }}>{number}</b>
      </p>
      {told.expression ? (
        <>
          <p>
            <code>{told.expression}</code>
          </p>
          <p>
            Made from{" "}
            {inputs.map((id) => (
              <Chip key={id} onPress={() => onChannel(id)} style={{ marginRight: 6 }}>
                {id}
              </Chip>
            ))}
          </p>
        </>
      ) : (
        <dl>
          {told.asked && (
            <>
              <dt>asked</dt>
              <dd>
                {text(told.asked)} {told.query && <span className="quiet">query {told.query}</span>}
              </dd>
            </>
          )}
          {told.came && (
            <>
              <dt>came</dt>
              <dd>{text(told.came)}</dd>
            </>
          )}
          {(told.check || told.reply_ms != null) && (
            <>
              <dt>check</dt>
              <dd>
                {[
                  told.check && `checksum ${told.check}`,
                  told.reply_ms != null && `reply after ${told.reply_ms.toFixed(1)} ms`,
                ]
                  .filter(Boolean)
                  .join(" · ")}
              </dd>
            </>
          )}
        </dl>
      )}
      {why && <p>{why}</p>}
      {told.field_text && (
        <ol aria-label="From the field to the value">
          <li>
            field {told.field} <b>{told.field_text}</b>
          </li>
          {steps.map((step, n) => (
            <li key={n}>
              {step.words} <b>{step.after == null ? "–" : Number(step.after.toPrecision(10))}</b>
            </li>
          ))}
        </ol>
      )}
      <p className="quiet">
        {[told.instrument, told.setup && `set-up ${told.setup}`, `line ${told.sequence} of tape/${told.segment}`]
          .filter(Boolean)
          .join(" · ")}
      </p>
    </>
  );
} // prettier-ignore
