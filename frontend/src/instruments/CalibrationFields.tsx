import type { Schemas } from "../api/client";
import { DateEntry } from "../parts/DateEntry";
import { NumberEntry } from "../parts/NumberEntry";
import { Entry, Fields } from "../parts/Select";

type Calibration = Schemas["CalibrationPart"];

const BLANK: Calibration = {
  asset: "",
  serial: "",
  certificate: "",
  range: "",
  uncertainty: "",
  coverage: 2,
};
type Text = Exclude<keyof Calibration, "expanded" | "expanded_percent" | "coverage">;

const FIELDS: [Text, string, number][] = [
  ["asset", "Asset", 110],
  ["serial", "Serial number", 120],
  ["certificate", "Certificate", 130],
  ["date", "Calibrated on", 130],
  ["due", "Due", 130],
  ["range", "Range", 110],
  ["uncertainty", "Uncertainty in words", 130],
];

export interface CalibrationFieldsProps {
  calibration: Calibration | null;
  /** The channel's; null where it belongs to a whole instrument, whose channels have several. */
  unit: string | null;
  onChange: (calibration: Calibration | null) => void;
}

/** What the certificate says. */
export function CalibrationFields({ calibration, unit, onChange }: CalibrationFieldsProps) {
  const now = calibration ?? BLANK;
  const change = (part: Partial<Calibration>): void => {
    const next: Calibration = { ...now, ...part };
    const told = Object.values({ ...next, coverage: null });
    onChange(told.some((one) => one !== null && one !== "") ? next : null);
  };
  const set = (key: Text, text: string): void =>
    change({ [key]: key === "date" || key === "due" ? text || null : text });
  const number = (key: "expanded" | "expanded_percent", label: string) => (
    <NumberEntry
      label={label}
      value={now[key]}
      onValue={(value) => change({ [key]: value })}
      least={0}
      width={150}
      empty
    />
  );
  return (
    <Fields>
      {FIELDS.map(([key, label, width]) => {
        const text = now[key] ?? "";
        if (key === "date" || key === "due")
          return (
            <DateEntry
              key={key}
              label={label}
              value={text || null}
              onValue={(next) => set(key, next ?? "")}
              width={width}
            />
          );
        return (
          <Entry key={key} label={label} value={text} onChange={(next) => set(key, next)} width={width} />
        );
      })}
      {unit !== null && number("expanded", `Uncertainty ±${unit && `, ${unit}`}`)}
      {number("expanded_percent", "and ± % of the reading")}
      {(now.expanded != null || now.expanded_percent != null) && (
        <NumberEntry
          label="with k ="
          value={now.coverage}
          onValue={(coverage) => change({ coverage: coverage ?? 2 })}
          least={1}
          most={10}
          width={80}
        />
      )}
    </Fields>
  );
}
