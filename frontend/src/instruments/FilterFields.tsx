import type { Schemas, Setup } from "../api/client";
import { Chip } from "../parts/Button";
import { NumberEntry } from "../parts/NumberEntry";
import { Fields, Select } from "../parts/Select";

type Filter = Setup["channel"][number]["filter"][number];
type Thinning = Schemas["ThinningPart"];

const FRESH: Record<Filter["kind"], Filter> = {
  mean: { kind: "mean", count: 5 },
  median: { kind: "median", count: 5 },
  exponential: { kind: "exponential", time_constant_s: 1 },
  spikes: { kind: "spikes", jump: 10, patience: 2 },
  hum: { kind: "hum", mains: 50 },
};
const NAMES: [Filter["kind"], string][] = [
  ["mean", "moving mean"],
  ["median", "moving median"],
  ["exponential", "exponential"],
  ["spikes", "leave out spikes"],
  ["hum", "mains hum"],
];
const NO_THINNING = "every sample";

export interface FilterFieldsProps {
  channel: { filter: Filter[]; thinning?: Thinning | null };
  set: (part: { filter?: Filter[]; thinning?: Thinning | null }) => void;
}

/** What quiets a channel, in order, and what thins it out. A second channel of the same field keeps the plain value. */
export function FilterFields({ channel, set }: FilterFieldsProps) {
  const filters = channel.filter;
  const change = (index: number, part: Partial<Filter>): void =>
    set({ filter: filters.map((one, n) => (n === index ? ({ ...one, ...part } as Filter) : one)) });
  const thinning = channel.thinning ?? null;
  return (
    <div style={{ display: "grid", gap: 8 }}>
      {filters.map((one, index) => (
        <Fields key={`${index} ${one.kind}`}>
          <Select
            label={`Filter ${index + 1}`}
            value={one.kind}
            options={NAMES.map(([value, text]) => ({ value, text }))}
            onChange={(kind) => set({ filter: filters.map((old, n) => (n === index ? FRESH[kind] : old)) })}
            width={150}
          />
          {(one.kind === "mean" || one.kind === "median") && (
            <NumberEntry
              label="of values"
              value={one.count}
              onValue={(count) => change(index, { count: count ?? 5 })}
              least={2}
              whole
              width={90}
            />
          )}
          {one.kind === "exponential" && (
            <NumberEntry
              label="Time constant, s"
              value={one.time_constant_s}
              onValue={(time_constant_s) => change(index, { time_constant_s: time_constant_s ?? 1 })}
              width={120}
            />
          )}
          {one.kind === "spikes" && (
            <>
              <NumberEntry
                label="Jump of more than"
                value={one.jump}
                onValue={(jump) => change(index, { jump: jump ?? 10 })}
                width={130}
              />
              <NumberEntry
                label="longest spike, samples"
                value={one.patience}
                onValue={(patience) => change(index, { patience: patience ?? 2 })}
                least={1}
                whole
                width={150}
              />
            </>
          )}
          {one.kind === "hum" && (
            <Select
              label="Mains, Hz"
              value={String(one.mains)}
              options={["50", "60"]}
              onChange={(mains) => change(index, { mains: mains === "60" ? 60 : 50 })}
              width={90}
            />
          )}
          <Chip
            style={{ minHeight: 34 }}
            aria-label={`Remove filter ${index + 1}`}
            onPress={() => set({ filter: filters.filter((_, n) => n !== index) })}
          >
            Remove
          </Chip>
        </Fields>
      ))}
      <Fields>
        <Chip style={{ minHeight: 34 }} onPress={() => set({ filter: [...filters, FRESH.median] })}>
          add a filter
        </Chip>
        <Select
          label="Keep"
          value={thinning?.keep ?? NO_THINNING}
          options={[
            NO_THINNING,
            { value: "every", text: "every n-th" },
            { value: "mean", text: "the mean of a stretch" },
            { value: "min", text: "the lowest of a stretch" },
            { value: "max", text: "the highest of a stretch" },
          ]}
          onChange={(keep) =>
            set({
              thinning:
                keep === NO_THINNING
                  ? null
                  : keep === "every"
                    ? { keep, every: 10 }
                    : { keep: keep as "mean" | "min" | "max", every_s: thinning?.every_s ?? 1 },
            })
          }
          width={180}
        />
        {thinning?.keep === "every" && (
          <NumberEntry
            label="n"
            value={thinning.every}
            onValue={(every) => set({ thinning: { keep: "every", every: every ?? 10 } })}
            least={2}
            whole
            width={80}
          />
        )}
        {thinning && thinning.keep !== "every" && (
          <NumberEntry
            label="Stretch, s"
            value={thinning.every_s}
            onValue={(every_s) => set({ thinning: { ...thinning, every_s: every_s ?? 1 } })}
            width={90}
          />
        )}
      </Fields>
    </div>
  );
}
