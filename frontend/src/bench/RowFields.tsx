import { CheckboxGroup, Label, Radio, RadioGroup } from "react-aria-components";
import styled from "styled-components";
import { NumberEntry } from "../parts/NumberEntry";
import { Fields } from "../parts/Select";
import { SpanEntry } from "../parts/SpanEntry";
import { Tick } from "../parts/Tick";
import { fastestRows, type RowRule } from "./plan";

const Rules = styled(RadioGroup)`
  display: grid;
  gap: 6px;
  .react-aria-Label {
    font-size: 13px;
    color: var(--quiet);
  }
  .react-aria-Radio {
    display: flex;
    gap: 8px;
    align-items: flex-start;
    cursor: pointer;
  }
  .react-aria-Radio::before {
    content: "";
    flex: none;
    width: 16px;
    height: 16px;
    margin-top: 2px;
    border-radius: 50%;
    border: 2px solid var(--action);
  }
  .react-aria-Radio[data-selected]::before {
    border-width: 5px;
  }
  .react-aria-Radio[data-focus-visible]::before {
    outline: 3px solid var(--action);
    outline-offset: 2px;
  }
`;

const Values = styled(CheckboxGroup)`
  display: flex;
  flex-wrap: wrap;
  gap: 4px 16px;
  align-items: center;
  .react-aria-Label {
    font-size: 13px;
    color: var(--quiet);
    flex: 1 0 100%;
  }
`;

const VALUES: readonly (readonly [RowRule["values"][number], string])[] = [
  ["latest", "latest"],
  ["age", "its age"],
  ["mean", "mean"],
  ["minimum", "minimum"],
  ["maximum", "maximum"],
];

/** How samples become rows of the CSV. */
export function RowFields({ rule, onChange }: { rule: RowRule; onChange: (rule: RowRule) => void }) {
  const set = (part: Partial<RowRule>): void => onChange({ ...rule, ...part });
  return (
    <>
      <Rules
        value={rule.kind}
        onChange={(kind) =>
          onChange(
            kind === "each reading"
              ? { ...fastestRows, daily: rule.daily, file_mb: rule.file_mb, kind }
              : { ...rule, kind: "steady rows" },
          )
        }
      >
        <Label>A row of the CSV stands for</Label>
        <Radio value="steady rows">a moment of an even grid (steady rows)</Radio>
        <Radio value="each reading">each reading, whenever one arrives</Radio>
      </Rules>
      {rule.kind === "steady rows" && (
        <>
          <Fields>
            <SpanEntry
              label="Every"
              value={rule.every_s || null}
              onValue={(every_s) => set({ every_s: every_s ?? 0 })}
              least={0.01}
              most={3600}
              empty
              placeholder="fastest"
              units={["s", "min", "h"]}
            />
            <SpanEntry
              label="Latest not older than"
              value={rule.age_s || null}
              onValue={(age_s) => set({ age_s: age_s ?? 0 })}
              least={0.001}
              most={86_400}
              empty
              placeholder="1.5 intervals"
              width={140}
              units={["s", "min", "h"]}
            />
          </Fields>
          <Values
            value={rule.values}
            onChange={(chosen) => {
              const values = VALUES.map(([value]) => value).filter((value) => chosen.includes(value));
              // Something must stand in a row, and an age is that of the latest.
              const without = values.includes("age") && !values.includes("latest");
              const next = without ? values.filter((value) => value !== "age") : values;
              set({ values: next.length ? next : ["latest"] });
            }}
          >
            <Label>A column for each channel’s</Label>
            {VALUES.map(([value, words]) => (
              <Tick key={value} value={value} isDisabled={value === "age" && !rule.values.includes("latest")}>
                {words}
              </Tick>
            ))}
          </Values>
        </>
      )}
      <Fields>
        <Tick on={rule.daily ?? false} onChange={(daily) => set({ daily })}>
          a file for each day
        </Tick>
        <NumberEntry
          label="Largest file, MB"
          value={rule.file_mb || null}
          onValue={(file_mb) => set({ file_mb: file_mb ?? 0 })}
          least={0.001}
          most={1_000_000}
          empty
          placeholder="any size"
          width={120}
        />
      </Fields>
    </>
  );
}
