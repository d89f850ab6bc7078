import { Button, Chip } from "../parts/Button";
import { NumberEntry } from "../parts/NumberEntry";
import { Entry, Fields } from "../parts/Select";

/** A quantity as it is typed: without a value yet. */
export interface Given {
  name: string;
  unit: string;
  value: number | null;
}

export interface QuantityFieldsProps {
  /** What they are: set values, readings. */
  what: string;
  given: Given[];
  onChange: (given: Given[]) => void;
  example: string;
}

const LONGEST = 80;

/** Numbers that a person gives of a point. */
export function QuantityFields({ what, given, onChange, example }: QuantityFieldsProps) {
  const set = (place: number, part: Partial<Given>): void =>
    onChange(given.map((one, n) => (n === place ? { ...one, ...part } : one)));
  return (
    <div style={{ display: "grid", gap: 8 }}>
      {given.map((one, place) => (
        <Fields key={place}>
          <Entry
            label={what}
            value={one.name}
            onChange={(name) => set(place, { name: name.slice(0, LONGEST) })}
            width={190}
            placeholder={example}
          />
          <NumberEntry
            label={one.name ? `${one.name} is` : "Value"}
            value={one.value}
            onValue={(value) => set(place, { value })}
            width={110}
            empty
            placeholder=" "
          />
          <Entry
            label="Unit"
            value={one.unit}
            onChange={(unit) => set(place, { unit: unit.slice(0, 40) })}
            width={80}
          />
          <Button onPress={() => onChange(given.filter((_, n) => n !== place))}>Remove</Button>
        </Fields>
      ))}
      {given.length < 20 && (
        <div>
          <Chip onPress={() => onChange([...given, { name: "", unit: "", value: null }])}>
            {given.length ? "one more" : `add a ${what.toLowerCase()}`}
          </Chip>
        </div>
      )}
    </div>
  );
}

/** Those that are whole. */
export const whole = (given: Given[]): { name: string; unit: string; value: number }[] =>
  given.flatMap(({ name, unit, value }) =>
    name.trim() && value !== null ? [{ name: name.trim(), unit: unit.trim(), value }] : [],
  );

/** What is missing, as a sentence; "" for nothing. */
export const missingIn = (given: Given[]): string => {
  const nameless = given.some((one) => !one.name.trim() && one.value !== null);
  const empty = given.find((one) => one.name.trim() && one.value === null);
  if (nameless) return "Give each number a name.";
  return empty ? `Give “${empty.name.trim()}” a number, or remove it.` : "";
};
