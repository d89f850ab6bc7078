import styled, { css } from "styled-components";
import { digits, type Theme } from "../look/theme";
import { CurveMark } from "./CurveMark";
import { isState, type LaneChannel, limitWords } from "./lanes";
import type { Cell } from "./readout";

const Box = styled.div<{ $close: boolean }>`
  display: flex;
  flex-direction: column;
  justify-content: center;
  gap: 2px;
  padding-right: 12px;
  min-width: 0;
  overflow: hidden;
  ${({ $close }) =>
    $close &&
    css`
      gap: 0;
      .limits:not([data-out="true"], [data-out="caution"]) {
        display: none;
      }
      .limits {
        line-height: 1;
      }
      .digits:not(.word) {
        font-size: 21px;
      }
      .value {
        display: flex;
        align-items: baseline;
        justify-content: flex-end;
      }
      .unit {
        width: 40px;
        padding: 0 0 0 4px;
        text-align: left;
        order: 1;
      }
    `}
`;

const Readout = styled.div`
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  align-items: center;
  column-gap: 8px;
  /* A long name takes two lines rather than being cut. */
  .name {
    display: -webkit-box;
    -webkit-box-orient: vertical;
    -webkit-line-clamp: 2;
    max-width: 100%;
    font-size: 13px;
    line-height: 1.15;
    overflow: hidden;
    overflow-wrap: anywhere;
    border: 0;
    background: none;
    padding: 0;
    color: var(--ink);
    text-align: left;
    cursor: pointer;
    font-family: inherit;
  }
  .name:hover {
    text-decoration: underline;
  }
  .limits {
    font-size: 12px;
    line-height: 1.2;
    color: var(--quiet);
    white-space: nowrap;
  }
  .limits[data-out="true"] {
    color: var(--fault);
    font-weight: 700;
  }
  .limits[data-out="true"]::before {
    content: "◆ ";
  }
  .limits[data-out="caution"]::before {
    content: "◇ ";
  }
  .limits[data-out="caution"] {
    color: var(--caution);
    font-weight: 700;
  }
  .value {
    white-space: nowrap;
    text-align: right;
  }
  .trend {
    display: inline-block;
    width: 12px;
    margin-left: 4px;
    vertical-align: 1px;
  }
  .digits {
    font: 700 27px/1 ${digits};
    letter-spacing: -0.01em;
    white-space: pre;
  }
  /* A long word takes two lines rather than being cut. */
  .word {
    font-size: 16px;
    line-height: 1.05;
    display: inline-block;
    max-width: 140px;
    white-space: normal;
    overflow-wrap: anywhere;
    vertical-align: middle;
  }
  .word[data-long="true"] {
    font-size: 12px;
  }
  .unit {
    display: block;
    font-size: 12px;
    line-height: 1.1;
    color: var(--quiet);
    padding-right: 16px;
  }
`;

export interface ReadoutsProps {
  /** In the order in which they stand. */
  channels: LaneChannel[];
  theme: Theme;
  onChannel?: ((channel: LaneChannel) => void) | undefined;
  /** Where digits, limits and trend of a channel are written. */
  /** Name and digits on one line. */
  close?: boolean;
  cell: (channel: number, part: Partial<Cell>) => void;
}

/** The readouts of a lane of few. */
export function Readouts({ channels, theme, onChannel, cell, close = false }: ReadoutsProps) {
  return (
    <Box $close={close}>
      {channels.map((channel) => {
        const { number } = channel;
        const ink = theme.inks[channel.ink] ?? theme.ink;
        return (
          <Readout key={number} data-testid={`readout-${channel.name}`}>
            <div className="about" style={{ minWidth: 0 }}>
              <CurveMark ink={ink} dash={channel.dash} width={24} />
              {onChannel ? (
                <button
                  type="button"
                  className="name"
                  title={`${channel.name}: zero, limits, set-up`}
                  onClick={() => onChannel(channel)}
                >
                  {channel.name}
                </button>
              ) : (
                <div className="name" title={channel.name}>
                  {channel.name}
                </div>
              )}
              <div className="limits" ref={(limits) => void (limits && cell(number, { limits }))}>
                {limitWords(channel)}
              </div>
            </div>
            <div className="value">
              <span
                className={isState(channel) ? "digits word" : "digits"}
                title={channel.states?.join(", ")}
                style={{ color: ink }}
                ref={(element) => void (element && cell(number, { digits: element }))}
              >
                –
              </span>
              <svg className="trend" width="12" height="12" viewBox="0 0 12 12" aria-hidden="true">
                <title />
                <path ref={(trend) => void (trend && cell(number, { trend }))} fill={ink} d="" />
              </svg>
              <span className="unit">{channel.unit}</span>
            </div>
          </Readout>
        );
      })}
    </Box>
  );
}
