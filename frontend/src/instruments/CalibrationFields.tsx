import type { Schemas } from "../api/client";
import { DateEntry } from "../parts/DateEntry";
import { Entry, Fields } from "../parts/Select";

type Calibration = Schemas["CalibrationPart"];

const BLANK: Calibration = { asset: "", serial: "", certificate: "", range: "", uncertainty: "" };
const FIELDS: [keyof Calibration, string, number][] = [
  ["asset", "Asset", 110],
  ["serial", "Serial number", 120],
  ["certificate", "Certificate", 130],
  ["date", "Calibrated on", 130],
  ["due", "Due", 130],
  ["range", "Range", 110],
  ["uncertainty", "Uncertainty", 110],
];

export interface CalibrationFieldsProps {
  calibration: Calibration | null;
  onChange: (calibration: Calibration | null) => void;
}

/** What the certificate says. */
export function CalibrationFields({ calibration, onChange }: CalibrationFieldsProps) {
  const now = calibration ?? BLANK;
  const set = (key: keyof Calibration, text: string): void => {
    const next: Calibration = { ...now, [key]: key === "date" || key === "due" ? text || null : text };
    onChange(Object.values(next).some(Boolean) ? next : null);
  };
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
    </Fields>
  );
}
