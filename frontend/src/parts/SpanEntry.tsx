import { useState } from "react";
import styled from "styled-components";
import { NumberEntry } from "./NumberEntry";
import { Select } from "./Select";

const UNITS = { s: 1, min: 60, h: 3600, d: 86_400 } as const;
type Unit = keyof typeof UNITS;

/** The largest unit in which a length of time is whole. */
function unitOf(seconds: number | null | undefined): Unit {
  const found = (Object.keys(UNITS) as Unit[])
    .toReversed()
    .find((unit) => seconds != null && seconds >= UNITS[unit] && seconds % UNITS[unit] === 0);
  return found ?? "s";
}

export interface SpanEntryProps {
  label: string;
  /** In seconds. */
  value: number | null | undefined;
  onValue: (seconds: number | null) => void;
  /** At least and at most, in seconds. */
  least?: number;
  most?: number;
  empty?: boolean;
  placeholder?: string;
  units?: readonly Unit[];
  /** Of the number, in pixels. */
  width?: number;
}

const Pair = styled.span`
  display: inline-flex;
  gap: 4px;
  align-items: flex-end;
  > :last-child > button {
    min-height: 34px;
    border-radius: var(--radius);
  }
`;

/** A length of time: a number and its unit. */
export function SpanEntry({
  label,
  value,
  onValue,
  least,
  most,
  empty,
  placeholder,
  units = ["s", "min", "h", "d"],
  width = 86,
}: SpanEntryProps) {
  const [unit, setUnit] = useState<Unit>(() => {
    const found = unitOf(value);
    return units.includes(found) ? found : "s";
  });
  const size = UNITS[unit];
  const shown = value == null ? value : Number((value / size).toPrecision(12));
  return (
    <Pair>
      <NumberEntry
        label={label}
        value={shown}
        onValue={(number) => onValue(number === null ? null : number * size)}
        width={width}
        {...(least === undefined ? {} : { least: least / size })}
        {...(most === undefined ? {} : { most: most / size })}
        {...(empty === undefined ? {} : { empty })}
        {...(placeholder === undefined ? {} : { placeholder })}
      />
      <Select
        label={`unit of ${label}`}
        small
        value={unit}
        options={units}
        onChange={(next) => {
          setUnit(next);
          if (shown != null) onValue(shown * UNITS[next]);
        }}
        width={62}
      />
    </Pair>
  );
}
