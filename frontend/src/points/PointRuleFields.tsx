import styled from "styled-components";
import type { Channel } from "../api/client";
import { NumberEntry } from "../parts/NumberEntry";
import { Fields } from "../parts/Select";
import { SpanEntry } from "../parts/SpanEntry";
import { Tick } from "../parts/Tick";
import type { PointChannel, Rule } from "./points";

const List = styled.div`
  display: grid;
  gap: 2px;
  max-height: 300px;
  overflow: auto;
  .line {
    display: grid;
    grid-template-columns: minmax(130px, 1fr) repeat(3, 118px);
    gap: 10px;
    align-items: end;
    padding: 3px 0;
    border-top: 1px solid var(--ruling);
  }
  .line > label:first-child {
    min-height: 40px;
  }
  @media (max-width: 620px) {
    .line {
      grid-template-columns: repeat(3, minmax(0, 1fr));
    }
    .line > label:first-child {
      grid-column: 1 / -1;
    }
  }
`;

export interface PointRuleProps {
  rule: Rule;
  onChange: (rule: Rule) => void;
}

/** How long is waited and averaged. */
export function PointTimes({ rule, onChange }: PointRuleProps) {
  const span = (label: string, key: "steady_s" | "average_s" | "give_up_s") => (
    <SpanEntry
      label={label}
      value={rule[key]}
      onValue={(value) => value !== null && onChange({ ...rule, [key]: value })}
      least={0.1}
      most={86_400}
      units={["s", "min", "h"]}
    />
  );
  return (
    <>
      <Fields>
        {span("Steady for", "steady_s")}
        {span("then averages", "average_s")}
        {span("gives up after", "give_up_s")}
      </Fields>
      <p style={{ color: "var(--quiet)" }}>
        A channel with a band is waited for: it is steady while its highest and lowest lie within the band.
        Where it leaves that meanwhile, waiting begins again.
      </p>
    </>
  );
}

/** What is averaged, what is waited for, and the tolerances. */
export function PointChannels({ rule, onChange, channels }: PointRuleProps & { channels: Channel[] }) {
  const set = (id: string, part: PointChannel | null): void => {
    const others = Object.entries(rule.channels).filter(([key]) => key !== id);
    const next = part === null ? others : [...others, [id, part] as const];
    // In the bench's order.
    const order = channels.map((one) => one.id);
    next.sort(([one], [other]) => order.indexOf(one) - order.indexOf(other));
    onChange({ ...rule, channels: Object.fromEntries(next) });
  };
  return (
    <List>
      {channels
        .filter((one) => !one.clock && !one.states?.length)
        .map((one) => {
          const part = rule.channels[one.id];
          const unit = one.unit ? `, ${one.unit}` : "";
          return (
            <div className="line" role="group" aria-label={one.name} key={one.id}>
              <Tick on={part !== undefined} onChange={(on) => set(one.id, on ? { band: null } : null)}>
                {one.name}
              </Tick>
              {part && (
                <>
                  <NumberEntry
                    label={`Band${unit}`}
                    value={part.band}
                    onValue={(band) => set(one.id, { ...part, band })}
                    width={110}
                    least={1e-12}
                    empty
                  />
                  <NumberEntry
                    label={`At least${unit}`}
                    value={part.low}
                    onValue={(low) => set(one.id, { ...part, low })}
                    width={110}
                    empty
                  />
                  <NumberEntry
                    label={`At most${unit}`}
                    value={part.high}
                    onValue={(high) => set(one.id, { ...part, high })}
                    width={110}
                    empty
                  />
                </>
              )}
            </div>
          );
        })}
    </List>
  );
}
