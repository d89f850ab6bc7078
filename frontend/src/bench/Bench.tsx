import { lazy, Suspense, useEffect, useMemo, useState } from "react";
import { VisuallyHidden } from "react-aria-components";
import { useNavigate, useSearchParams } from "react-router";
import styled from "styled-components";
import type { Instrument, Port } from "../api/client";
import { useAct } from "../api/useAct";
import type { Theme } from "../look/theme";
import { connection, useLive } from "../live/connection";
import { Banner } from "../parts/Banner";
import { Chip } from "../parts/Button";
import { Guard } from "../parts/Guard";
import { painted } from "../parts/painted";
import { useKeys } from "../parts/useKeys";
import { BenchTools } from "./BenchTools";
import { Cursor } from "./cursor";
import { InstrumentColumn } from "./InstrumentColumn";
import { arranged, forward, type Layout } from "./layout";
import { RunControl } from "./RunControl";
import { Trends } from "./Trends";
import { useChannels } from "./useChannels";
import { layouts, useLayout } from "./useLayout";
import { useMovedLimit } from "./useMovedLimit";
import { usePast, useTimeView } from "./useTimeView";

// What is not there at first comes when it is opened; the tape, when the digits stand.
const Tape = lazy(async () => {
  await painted();
  return { default: (await import("../tape/Tape")).Tape };
});
const LayoutWindow = lazy(() => import("./LayoutWindow").then((part) => ({ default: part.LayoutWindow })));
const BigReadouts = lazy(() => import("./BigReadouts").then((part) => ({ default: part.BigReadouts })));
const NumbersPanel = lazy(() => import("./NumbersPanel").then((part) => ({ default: part.NumbersPanel })));
const PointsPanel = lazy(() =>
  import("../points/PointsPanel").then((part) => ({ default: part.PointsPanel })),
);
const NothingYet = lazy(() => import("./NothingYet").then((part) => ({ default: part.NothingYet })));
const ChannelWindow = lazy(() => import("./ChannelWindow").then((part) => ({ default: part.ChannelWindow })));

const Page = styled.main`
  display: grid;
  grid-template-rows: auto minmax(0, 1fr);
  grid-template-columns: minmax(0, 1fr);
  gap: 10px;
  padding: 0 12px 12px;
  height: calc(100dvh - var(--above, 44px));
  min-height: 560px;
  @media (max-width: 719px) {
    height: auto;
    min-height: calc(100dvh - var(--above, 44px));
  }
`;

const Above = styled.div`
  display: grid;
  gap: 10px;
  grid-template-columns: minmax(0, 1fr);
`;

const Body = styled.div`
  display: grid;
  grid-template-columns: 214px minmax(0, 1fr);
  gap: 10px;
  min-height: 0;
  @media (max-width: 719px) {
    grid-template-columns: minmax(0, 1fr);
  }
`;

const Right = styled.div`
  display: grid;
  grid-template-rows: minmax(0, 1fr) auto;
  gap: 10px;
  min-height: 0;
  min-width: 0;
`;

const Waiting = styled.p`
  padding: 40px;
  color: var(--quiet);
`;

const PARTS = { tape: "The tape", numbers: "The statistics", points: "The test points" };
const NO_INSTRUMENTS: Instrument[] = [];
const NO_PORTS: Port[] = [];

/** The live view. */
export function Bench({ theme }: { theme: Theme }) {
  const joined = useLive(({ status }) => status !== null);
  const joining = useLive(({ line }) => line === "joining");
  // Before anything is drawn of what is in memory.
  useState(() => connection.wantPast());
  if (!joined) {
    const words = joining ? "Joining the bench …" : "The bench does not answer. Trying again …";
    return <Waiting role="status">{words}</Waiting>;
  }
  return <LiveBench theme={theme} />;
}

/** Its parts each take what they show from the live state; this draws none of it. */
function LiveBench({ theme }: { theme: Theme }) {
  const empty = useLive(({ status }) => !status?.instruments.length);
  const here = useLive(({ line }) => line === "live");
  const [address, setAddress] = useSearchParams();
  const [panel, setPanel] = useState<"tape" | "numbers" | "points">("tape");
  const [tall, setTall] = useState(false);
  const [movable, setMovable] = useState(false);
  const [laying, setLaying] = useState(false);
  const [channel, setChannel] = useState<string | null>(null);
  const [cursor] = useState(() => new Cursor());
  const big = address.get("view") === "readouts";
  const setBig = (on: boolean): void => setAddress(on ? { view: "readouts" } : {});

  const channels = useChannels();
  const { layout, change, reset } = useLayout(channels);
  const lanes = useMemo(() => arranged(channels, layout), [channels, layout]);
  const drawn = useMemo(() => lanes.flatMap((lane) => lane.channels), [lanes]);
  const time = useTimeView(() => cursor.clear());
  const before = usePast(time.view);
  const moved = useMovedLimit();
  const shared = useSharedLayout(address.get("layout"), change);
  const forwards = Object.fromEntries(
    lanes.slice(0, 9).map((_, place) => [String(place + 1), () => change(forward(layout, place))]),
  );
  useKeys({
    t: () => (panel === "tape" ? setTall((old) => !old) : setPanel("tape")),
    s: () => setPanel((old) => (old === "numbers" ? "tape" : "numbers")),
    r: () => setBig(!big),
    Escape: () => (big ? setBig(false) : time.back()),
    ...forwards,
  });
  const follows = time.stretch === null;
  const tools = (
    <BenchTools
      moved={moved}
      why={before?.why ?? ""}
      statistics={panel === "numbers"}
      onStatistics={() => setPanel(panel === "numbers" ? "tape" : "numbers")}
      points={panel === "points"}
      onPoints={() => setPanel(panel === "points" ? "tape" : "points")}
      onReadouts={() => setBig(true)}
      hidden={layout.hidden.length}
      onLayout={() => setLaying(true)}
      movable={movable}
      onMovable={() => setMovable(!movable)}
    />
  );
  return (
    <Page>
      <VisuallyHidden elementType="h1">Bench</VisuallyHidden>
      <Above>
        {[moved, shared].map(
          (one, place) =>
            one.trouble && (
              <Banner key={place}>
                {one.trouble} <Chip onPress={one.clear}>Dismiss</Chip>
              </Banner>
            ),
        )}
        <RunControl />
      </Above>
      {empty ? (
        <Suspense fallback={null}>
          <Nothing />
        </Suspense>
      ) : big ? (
        <Suspense fallback={null}>
          <BigReadouts channels={drawn} theme={theme} stale={!here} onBack={() => setBig(false)} />
        </Suspense>
      ) : (
        <Body>
          <Guard place="bench" part="The instruments">
            <Instruments stale={!here} />
          </Guard>
          <Right>
            <Guard place="bench" part="The trends">
              <Trends
                channels={channels}
                lanes={lanes}
                layout={layout}
                onLayout={change}
                time={time}
                before={before}
                cursor={cursor}
                theme={theme}
                limitsMovable={movable}
                onLimit={moved.move}
                onChannel={setChannel}
              />
            </Guard>
            <Guard place={panel} part={PARTS[panel]}>
              {panel === "tape" ? (
                <BenchTape tall={tall} onTall={() => setTall((old) => !old)} tools={tools} />
              ) : panel === "points" ? (
                <Suspense fallback={<div style={{ height: tall ? "46vh" : 300 }} />}>
                  <PointsPanel
                    height={tall ? "46vh" : 300}
                    onTake={() => setAddress({ point: "" })}
                    tools={tools}
                  />
                </Suspense>
              ) : (
                <Suspense fallback={<div style={{ height: tall ? "46vh" : 220 }} />}>
                  <NumbersPanel
                    channels={drawn}
                    live={follows}
                    view={time.view}
                    cursor={cursor}
                    height={tall ? "46vh" : 220}
                    tools={tools}
                  />
                </Suspense>
              )}
            </Guard>
          </Right>
        </Body>
      )}
      <Suspense fallback={null}>
        {laying && (
          <LayoutWindow
            layout={layout}
            channels={channels}
            onLayout={change}
            onReset={reset}
            onClose={() => setLaying(false)}
          />
        )}
        {channel !== null && <OneChannel key={channel} id={channel} onClose={() => setChannel(null)} />}
      </Suspense>
    </Page>
  );
}

function Instruments({ stale }: { stale: boolean }) {
  const instruments = useLive(({ status }) => status?.instruments ?? NO_INSTRUMENTS);
  return <InstrumentColumn instruments={instruments} stale={stale} />;
}

function Nothing() {
  const go = useNavigate();
  const ports = useLive(({ status }) => status?.ports ?? NO_PORTS);
  return <NothingYet ports={ports} onAdd={() => void go("/instruments/new")} />;
}

interface BenchTapeProps {
  tall: boolean;
  onTall: () => void;
  tools: React.ReactNode;
}

function BenchTape({ tall, onTall, tools }: BenchTapeProps) {
  const instruments = useLive(({ status }) => status?.instruments ?? NO_INSTRUMENTS);
  const height = tall ? "46vh" : 128;
  return (
    <Suspense fallback={<div style={{ height }} />}>
      <Tape
        instruments={instruments}
        roomy={tall}
        style={{ height }}
        tools={tools}
        more={
          <Chip onPress={onTall} aria-expanded={tall}>
            {tall ? "less" : "more"}
          </Chip>
        }
      />
    </Suspense>
  );
}

function OneChannel({ id, onClose }: { id: string; onClose: () => void }) {
  const channel = useLive(({ status }) => status?.channels.find((one) => one.id === id));
  return channel && <ChannelWindow channel={channel} onClose={onClose} />;
}

/** A layout named in the address is taken over, once. */
function useSharedLayout(name: string | null, change: (layout: Layout) => void) {
  const { run, trouble, clear } = useAct();
  useEffect(() => {
    if (!name) return;
    run(async () => {
      const mine = (await layouts()).find((one) => one.name === name);
      // From here on it is the person's own: a reload must not undo what is changed in it.
      window.history.replaceState(window.history.state, "", window.location.pathname);
      if (!mine) throw new Error(`There is no layout “${name}” at this bench.`);
      change(mine.data);
    });
  }, [name, change, run]);
  return { trouble, clear };
}
