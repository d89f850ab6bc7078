import { useFocusWithin, useHover } from "react-aria";
import { ToggleButton } from "react-aria-components";
import styled from "styled-components";
import { digits, type Theme } from "../look/theme";
import { CurveMark } from "./CurveMark";
import type { LaneChannel } from "./lanes";
import type { ReadoutsProps } from "./Readouts";

/** Readouts of a lane of many: a line each. */
const Box = styled.div`
  overflow-y: auto;
  scrollbar-width: thin;
  min-height: 0;
  padding: 3px 4px 3px 0;
  > div {
    display: grid;
    grid-template-columns: 24px minmax(0, 1fr) auto;
    column-gap: 4px;
    align-items: center;
    min-height: 24px;
    border-radius: 4px;
  }
  > div:hover,
  > div:focus-within {
    background: var(--chosen);
  }
  .draw {
    border: 0;
    background: none;
    padding: 9px 3px;
    border-radius: 4px;
    cursor: pointer;
  }
  .draw:not([data-selected]) svg {
    opacity: 0.15;
  }
  .name {
    min-width: 0;
    border: 0;
    background: none;
    padding: 0;
    color: var(--ink);
    font: inherit;
    font-size: 12.5px;
    line-height: 1.1;
    text-align: left;
    cursor: pointer;
    overflow-wrap: anywhere;
  }
  .digits {
    font: 700 15px/1 ${digits};
    white-space: pre;
    text-align: right;
  }
  .limits {
    grid-column: 2 / 4;
    font-size: 11.5px;
    line-height: 1.1;
    text-align: right;
    display: none;
  }
  .limits[data-out="true"],
  .limits[data-out="caution"] {
    display: block;
    color: var(--fault);
    font-weight: 700;
  }
  .limits[data-out="caution"] {
    color: var(--caution);
  }
  .limits[data-out="true"]::before {
    content: "◆ ";
  }
  .limits[data-out="caution"]::before {
    content: "◇ ";
  }
`;

export interface ReadoutLinesProps extends ReadoutsProps {
  unit: string;
  /** Which of them are drawn, by id. */
  drawn: (id: string) => boolean;
  onDrawn?: ((id: string, drawn: boolean) => void) | undefined;
  /** A channel is pointed at: its curve stands in front. */
  onPoint?: ((channel: number | null) => void) | undefined;
}

/** The readouts of a lane of many: a line each, with what is drawn and what is not. */
export function ReadoutLines({ channels, unit, ...props }: ReadoutLinesProps) {
  return (
    <Box role="list" aria-label={`Readouts in ${unit || "no unit"}`}>
      {channels.map((channel) => (
        <OneLine key={channel.number} channel={channel} {...props} />
      ))}
    </Box>
  );
}

interface OneLineProps extends Omit<ReadoutLinesProps, "channels" | "unit"> {
  channel: LaneChannel;
  theme: Theme;
}

function OneLine({ channel, theme, drawn, onDrawn, onPoint, onChannel, cell }: OneLineProps) {
  const { number, name, id } = channel;
  const ink = theme.inks[channel.ink] ?? theme.ink;
  const point = (on: boolean): void => onPoint?.(on ? number : null);
  const { hoverProps } = useHover({ onHoverChange: point });
  const { focusWithinProps } = useFocusWithin({ onFocusWithinChange: point });
  return (
    <div role="listitem" data-testid={`readout-${name}`} {...hoverProps} {...focusWithinProps}>
      <ToggleButton
        className="draw"
        aria-label={`draw ${name}`}
        isSelected={drawn(id)}
        isDisabled={!onDrawn}
        onChange={(on) => onDrawn?.(id, on)}
      >
        <CurveMark ink={ink} dash={channel.dash} width={18} />
      </ToggleButton>
      <button
        type="button"
        className="name"
        disabled={!onChannel}
        title={onChannel && `${name}: zero, limits, set-up`}
        onClick={() => onChannel?.(channel)}
      >
        {name}
      </button>
      <span
        className="digits"
        style={{ color: ink }}
        ref={(element) => void (element && cell(number, { digits: element, trend: null }))}
      >
        –
      </span>
      <span className="limits" ref={(limits) => void (limits && cell(number, { limits }))} />
    </div>
  );
}
