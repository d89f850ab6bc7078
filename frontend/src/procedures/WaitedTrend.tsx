import { useMemo } from "react";
import styled from "styled-components";
import { arranged, PLAIN, settled } from "../bench/layout";
import type { LaneView } from "../bench/lanes";
import { LaneStack } from "../bench/LaneStack";
import { useChannels } from "../bench/useChannels";
import { usePast } from "../bench/useTimeView";
import type { Theme } from "../look/theme";
import { connection } from "../live/connection";
import { Exact } from "../live/exact";
import { benchReadings } from "../live/readings";

/** Milliseconds that are shown. */
const SHOWN = 120_000;

const Box = styled.div`
  margin-bottom: 8px;
  && > section {
    height: 100%;
    padding: 0;
    margin: 0;
  }
  .foot {
    font-size: 12px;
    color: var(--quiet);
    padding-left: 8px;
  }
`;

const exact = new Exact(() => connection.now());
const last = (): LaneView => {
  const end = connection.now();
  return { start: end - SHOWN, end };
};

/** What is looked at while it is waited for: its trend, as on the Bench. */
export function WaitedTrend({ ids, theme }: { ids: string[]; theme: Theme }) {
  const all = useChannels();
  const key = ids.join(" ");
  const lanes = useMemo(() => {
    const looked = new Set(key.split(" "));
    const channels = all.filter((one) => looked.has(one.id));
    return arranged(channels, settled(channels, PLAIN));
  }, [all, key]);
  const samples = connection.samples;
  const readings = useMemo(() => benchReadings(samples, exact, true), [samples]);
  const past = usePast(last);
  if (lanes.length === 0) return null;
  return (
    <Box style={{ height: 40 + 110 * Math.min(lanes.length, 3) }}>
      <LaneStack
        lanes={lanes}
        samples={samples}
        past={past}
        view={last}
        live
        marks={[]}
        theme={theme}
        readings={readings}
        edge="now"
        controls={<span className="foot">the last 2 minutes</span>}
      />
    </Box>
  );
}
