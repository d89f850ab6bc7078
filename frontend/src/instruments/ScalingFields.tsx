import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, said, type Schemas, type Setup } from "../api/client";
import { qualityWords } from "../look/format";
import { mono } from "../look/theme";
import { Chip } from "../parts/Button";
import { NumberEntry } from "../parts/NumberEntry";
import { Entry, Fields, Select } from "../parts/Select";

type Channel = Setup["channel"][number];
type Step = Channel["scaling"][number];
type Kind = Step["kind"];

const FRESH: Record<Kind, Step> = {
  sign: { kind: "sign" },
  decimals: { kind: "decimals", places: 2 },
  linear: { kind: "linear", scale: 1, offset: 0 },
  range: { kind: "range", low: 0, high: 65535, becomes_low: 0, becomes_high: 100 },
  "current loop": { kind: "current loop", at_4: 0, at_20: 10 },
  points: { kind: "points", points: [[0, 0], [10, 10]], fit: "between points", degree: 2 },
  thermocouple: { kind: "thermocouple", type: "K", reference: 0 },
  "resistance thermometer": { kind: "resistance thermometer", r0: 100, a: 3.9083e-3, b: -5.775e-7, c: -4.183e-12 },
  thermistor: { kind: "thermistor", r25: 10000, beta: 3950 },
  unit: { kind: "unit", source: "W", target: "kW" },
}; // prettier-ignore

const NAMES: [Kind, string][] = [
  ["linear", "scale and offset"],
  ["sign", "sign inverted"],
  ["decimals", "implied decimals"],
  ["range", "counts to units"],
  ["current loop", "4 to 20 mA"],
  ["points", "calibration points"],
  ["thermocouple", "thermocouple, mV to °C"],
  ["resistance thermometer", "platinum, Ω to °C"],
  ["thermistor", "thermistor, Ω to °C"],
  ["unit", "another unit"],
];

/** Points as they are typed or pasted: a pair a line, shown and true. */
export function pointsOf(text: string): [number, number][] | null {
  const rows = text
    .split("\n")
    .map((row) => row.trim())
    .filter(Boolean)
    .map((row) => {
      const apart = row.split(/[;\t ]+/).filter(Boolean);
      // Between blanks a comma is a decimal one; alone it stands between the two.
      const cells = apart.length > 1 ? apart.map((cell) => cell.replace(",", ".")) : row.split(",");
      return cells.map(Number);
    });
  if (rows.length < 2 || !rows.every((row) => row.length === 2 && row.every(Number.isFinite))) return null;
  return rows as [number, number][];
}

export interface ScalingFieldsProps {
  channel: Channel;
  value: number | null;
  onChange: (scaling: Step[]) => void;
}

/** The steps behind scale and offset, each with the newest value before and after it. */
export function ScalingFields({ channel, value, onChange }: ScalingFieldsProps) {
  const steps = channel.scaling;
  const tried = useQuery({
    queryKey: ["scaling", channel.scale, channel.offset, steps, value],
    queryFn: () =>
      got(
        api.POST("/api/scaling", {
          body: {
            scale: channel.scale,
            offset: channel.offset,
            scaling: steps as unknown as Record<string, never>[],
            value,
          },
        }),
      ),
    enabled: steps.length > 0,
    placeholderData: (old) => old,
    retry: false,
  });
  const change = (index: number, step: Step): void =>
    onChange(steps.map((old, n) => (n === index ? step : old)));
  const move = (index: number): void => {
    const next = [...steps];
    const [one] = next.splice(index, 1);
    if (one) next.splice(index - 1, 0, one);
    onChange(next);
  };
  return (
    <div style={{ display: "grid", gap: 8 }}>
      {steps.map((step, index) => (
        <div key={`${index} ${step.kind}`} style={{ display: "grid", gap: 4 }}>
          <Fields>
            <Select
              label={`Step ${index + 1}`}
              value={step.kind}
              options={NAMES.map(([kind, text]) => ({ value: kind, text }))}
              onChange={(kind) => change(index, FRESH[kind])}
              width={190}
            />
            <StepFields step={step} onChange={(next) => change(index, next)} />
            {index > 0 && (
              <Chip
                style={{ minHeight: 34 }}
                onPress={() => move(index)}
                aria-label={`step ${index + 1} earlier`}
              >
                earlier
              </Chip>
            )}
            <Chip
              style={{ minHeight: 34 }}
              aria-label={`Remove step ${index + 1}`}
              onPress={() => onChange(steps.filter((_, n) => n !== index))}
            >
              Remove
            </Chip>
          </Fields>
          <BeforeAndAfter tried={tried.data} index={index} />
        </div>
      ))}
      {tried.error && <p style={{ color: "var(--fault)" }}>{said(tried.error)}</p>}
      <div>
        <Chip onPress={() => onChange([...steps, FRESH.linear])}>add a step</Chip>
        {value === null && steps.length > 0 && (
          <span style={{ color: "var(--quiet)", marginLeft: 8 }}>No value has come yet to try it with.</span>
        )}
      </div>
    </div>
  );
}

function BeforeAndAfter({ tried, index }: { tried: Schemas["ScalingTried"] | undefined; index: number }) {
  const shown = (n: number): string => {
    const step = tried?.steps[n];
    if (!step) return "–";
    return step.value === null || step.value === undefined
      ? qualityWords(step.quality)
      : String(Number(step.value.toPrecision(8)));
  };
  const left = tried?.residuals[index] ?? [];
  return (
    <div style={{ font: `13px/1.5 ${mono}`, color: "var(--quiet)" }}>
      {tried && tried.steps.length > 0 && (
        <span data-testid={`step-${index + 1}`}>
          {shown(index)} → <b style={{ color: "var(--ink)" }}>{shown(index + 1)}</b>
        </span>
      )}
      {left.length > 0 && (
        <span>
          {tried && tried.steps.length > 0 && "; "}
          residuals: {left.map((one) => (Math.abs(one) < 1e-12 ? "0" : one.toPrecision(3))).join(", ")}
        </span>
      )}
    </div>
  );
}

function StepFields({ step, onChange }: { step: Step; onChange: (step: Step) => void }) {
  const number = <S extends Step>(of: S, key: keyof S & string, label: string, width = 96) => (
    <NumberEntry
      key={key}
      label={label}
      value={of[key] as number | null | undefined}
      onValue={(next) => next !== null && onChange({ ...of, [key]: next })}
      width={width}
    />
  );
  switch (step.kind) {
    case "sign":
      return null;
    case "decimals":
      return number(step, "places", "Decimal places", 150);
    case "linear":
      return [number(step, "scale", "×"), number(step, "offset", "+")];
    case "range":
      return [
        number(step, "low", "from"),
        number(step, "high", "to"),
        number(step, "becomes_low", "becomes"),
        number(step, "becomes_high", "to"),
      ];
    case "current loop":
      return [number(step, "at_4", "at 4 mA"), number(step, "at_20", "at 20 mA")];
    case "points":
      return <PointFields step={step} onChange={onChange} />;
    case "thermocouple":
      return (
        <>
          <Select
            label="Type"
            value={step.type}
            options={["B", "E", "J", "K", "N", "R", "S", "T"]}
            onChange={(type) => onChange({ ...step, type })}
            width={70}
          />
          {number(step, "reference", "Reference junction, °C", 160)}
        </>
      );
    case "resistance thermometer":
      return number(step, "r0", "Ω at 0 °C");
    case "thermistor":
      return step.r25 != null ? (
        <>
          {number(step, "r25", "Ω at 25 °C")}
          {number(step, "beta", "B value")}
          <Chip
            style={{ minHeight: 34 }}
            onPress={() => onChange({ kind: "thermistor", a: 1.129148e-3, b: 2.34125e-4, c: 8.76741e-8 })}
          >
            by a, b and c
          </Chip>
        </>
      ) : (
        <>{[number(step, "a", "a", 130), number(step, "b", "b", 130), number(step, "c", "c", 130)]}</>
      );
    case "unit":
      return (
        <>
          <Entry
            label="from"
            value={step.source}
            onChange={(source) => onChange({ ...step, source })}
            width={90}
          />
          <Entry
            label="to"
            value={step.target}
            onChange={(target) => onChange({ ...step, target })}
            width={90}
          />
        </>
      );
  }
}

function PointFields({
  step,
  onChange,
}: {
  step: Extract<Step, { kind: "points" }>;
  onChange: (step: Step) => void;
}) {
  const [text, setText] = useState(() => step.points.map((pair) => pair.join("  ")).join("\n"));
  const wrong = pointsOf(text) === null;
  return (
    <>
      <label style={{ display: "grid", gap: 4, fontSize: 12.5, color: "var(--quiet)" }}>
        Reading and true value, one pair per line
        <textarea
          value={text}
          rows={Math.min(8, Math.max(3, text.split("\n").length))}
          aria-invalid={wrong}
          spellCheck={false}
          style={{ font: `14px/1.4 ${mono}`, width: 190, borderColor: wrong ? "var(--fault)" : undefined }}
          onChange={(event) => {
            setText(event.target.value);
            const points = pointsOf(event.target.value);
            if (points) onChange({ ...step, points });
          }}
        />
      </label>
      <Select
        label="Between them"
        value={step.fit}
        options={[
          { value: "between points", text: "straight lines" },
          { value: "straight line", text: "one straight line" },
          { value: "offset", text: "an offset" },
          { value: "polynomial", text: "a polynomial" },
        ]}
        onChange={(fit) => onChange({ ...step, fit })}
        width={140}
      />
      {step.fit === "polynomial" && (
        <NumberEntry
          label="Degree"
          value={step.degree}
          onValue={(degree) => onChange({ ...step, degree: degree ?? 2 })}
          least={1}
          most={6}
          whole
          width={80}
        />
      )}
    </>
  );
}
