import { lazy, Suspense, useCallback, useEffect, useMemo, useRef, useState } from "react";
import { VisuallyHidden } from "react-aria-components";
import { useNavigate, useSearchParams } from "react-router";
import styled from "styled-components";
import { type RunStatus, said, type Status } from "../api/client";
import { dated } from "../look/format";
import { elsewhere, zoneName } from "../look/zone";
import type { Theme } from "../look/theme";
import { connection, useLive } from "../live/connection";
import { Exact } from "../live/exact";
import { Past } from "../live/past";
import { benchReadings } from "../live/readings";
import type { Samples } from "../live/samples";
import { Banner } from "../parts/Banner";
import { Chip, Key } from "../parts/Button";
import { Guard } from "../parts/Guard";
import { useKeys } from "../parts/useKeys";
import { Tape } from "../tape/Tape";
import { BigReadouts } from "./BigReadouts";
import { limitsOf, movedLimit, putLimits } from "./limits";
import { Cursor } from "./cursor";
import { InstrumentColumn } from "./InstrumentColumn";
import { LaneHead } from "./LaneHead";
import { LaneStack } from "./LaneStack";
import type { LaneMark, LaneView } from "./Lane";
import { arranged, changed, clocksOf, forward, type Layout } from "./layout";
import { type Bare, type LaneChannel, type LaneSpec } from "./lanes";
import { NumbersPanel } from "./NumbersPanel";
import { RunStrip } from "./RunStrip";
import { layouts, useLayout } from "./useLayout";
import { keepWindow, keptWindow, nextWindow, shifted, type TimeWindow, WINDOWS } from "./windows";

// What is not there at first comes when it is opened.
const BeginWindow = lazy(() => import("./RunWindows").then((part) => ({ default: part.BeginWindow })));
const EndWindow = lazy(() => import("./RunWindows").then((part) => ({ default: part.EndWindow })));
const MarkWindow = lazy(() => import("./RunWindows").then((part) => ({ default: part.MarkWindow })));
const LayoutWindow = lazy(() => import("./LayoutWindow").then((part) => ({ default: part.LayoutWindow })));
const EndedCard = lazy(() => import("./EndedCard").then((part) => ({ default: part.EndedCard })));
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

const Controls = styled.div`
  display: flex;
  gap: 6px;
  padding: 0 10px;
  justify-content: flex-end;
`;

const Waiting = styled.p`
  padding: 40px;
  color: var(--quiet);
`;

const Tools = styled.div`
  display: flex;
  gap: 6px;
  align-items: center;
  margin-left: auto;
  min-width: 0;
  .moved {
    font-weight: 600;
    font-size: 13px;
    white-space: nowrap;
  }
  .said {
    color: var(--caution);
    font-weight: 600;
    font-size: 13px;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  @media (max-width: 719px) {
    display: none;
  }
`;

const More = styled.select`
  min-height: 26px;
  max-width: 64px;
  border-radius: 6px;
  border: 1px solid var(--hairline);
  background: var(--panel);
  font: inherit;
  font-size: 12.5px;
  font-weight: 600;
  &[data-chosen="true"] {
    background: var(--chosen);
  }
`;

/** The bench's exact samples, for cursors. */
const exact = new Exact(() => connection.now());

/** Milliseconds for which a limit that was moved can be put back with one press. */
const UNDO_FOR = 30_000;

/** Of a channel's status: what changes without anything being drawn otherwise. */
const PASSING = new Set(["since", "zero", "zeroed_at", "problem"]);

/** The live view. */
export function Bench({ theme }: { theme: Theme }) {
  const live = useLive();
  // Before anything is drawn of what is at hand.
  useState(() => connection.wantPast());
  if (!live.status) {
    const words =
      live.line === "joining" ? "Joining the bench …" : "The bench does not answer. Trying again …";
    return <Waiting role="status">{words}</Waiting>;
  }
  return <LiveBench status={live.status} theme={theme} />;
}

function LiveBench({ status, theme }: { status: Status; theme: Theme }) {
  const live = useLive();
  const [address, setAddress] = useSearchParams();
  const [open, setOpen] = useState<"" | "begin" | "mark" | "end" | "layout">(() =>
    address.has("begin") && !status.run ? "begin" : "",
  );
  useEffect(() => {
    if (address.has("begin")) setAddress({}, { replace: true });
  }, [address, setAddress]);
  const go = useNavigate();
  const [chosen, setChosen] = useState(keptWindow);
  const [stretch, setStretch] = useState<LaneView | null>(null);
  const [panel, setPanel] = useState<"tape" | "numbers">("tape");
  const [tall, setTall] = useState(false);
  const [movable, setMovable] = useState(false);
  const [channel, setChannel] = useState<string | null>(null);
  const [trouble, setTrouble] = useState("");
  const [moved, setMoved] = useState<{ words: string; back: () => Promise<unknown> } | null>(null);
  const run = status.run ?? null;
  const big = address.get("view") === "readouts";
  const setBig = (on: boolean): void => setAddress(on ? { view: "readouts" } : {});

  // Lanes are made anew only where something they show has changed, not at every status.
  const channelKey = JSON.stringify(status.channels, (key, value: unknown) =>
    PASSING.has(key) ? undefined : value,
  );
  const channels = useMemo(() => JSON.parse(channelKey) as Bare[], [channelKey]);
  const laid = useLayout(channels);
  const { layout, change } = laid;
  const lanes = useMemo(() => arranged(channels, layout), [channels, layout]);
  useSharedLayout(address.get("layout"), change, setTrouble);
  const begun = run ? run.begun_at / 1000 : null;
  const here = live.line === "live";
  const view = useCallback((): LaneView => {
    if (stretch) return stretch;
    const end = connection.now();
    const span = chosen.ms ?? (begun === null ? 300_000 : Math.max(end - begun, 10_000));
    return { start: end - span, end };
  }, [chosen, stretch, begun]);
  const markKey = JSON.stringify(run?.marks ?? []);
  const marks = useMemo(
    () =>
      (JSON.parse(markKey) as RunStatus["marks"]).map((mark): LaneMark => ({
        at: mark.at / 1000,
        text: mark.text,
      })),
    [markKey],
  );
  const [cursor] = useState(() => new Cursor());
  const before = usePast(view);
  const clocks = useMemo(() => clocksOf(channels, layout), [channels, layout]);
  const samples = useMemo(() => connection.samples.byDevice(clocks), [clocks]);
  const past = useMemo(
    () => before && { ...before, samples: before.samples.byDevice(clocks) },
    [before, clocks],
  );

  const follows = stretch === null;
  const readings = useMemo(() => benchReadings(samples, exact, follows), [samples, follows]);

  const choose = (window: TimeWindow): void => {
    setChosen(window);
    setStretch(null);
    keepWindow(window);
  };
  const back = (): void => {
    cursor.clear();
    setStretch(null);
  };
  const freeze = (): void => (stretch ? back() : setStretch(view()));
  const shift = (by: number): void => {
    const now = view();
    setStretch(shifted(now, by, connection.now()));
  };
  const forwards = Object.fromEntries(
    lanes.slice(0, 9).map((_, place) => [String(place + 1), () => change(forward(layout, place))]),
  );
  useKeys({
    f: freeze,
    b: () => !run && status.channels.length > 0 && setOpen("begin"),
    e: () => run && setOpen("end"),
    m: () => run && setOpen("mark"),
    t: () => (panel === "tape" ? setTall((old) => !old) : setPanel("tape")),
    s: () => setPanel((old) => (old === "tape" ? "numbers" : "tape")),
    r: () => setBig(!big),
    "[": () => choose(nextWindow(chosen, -1)),
    "]": () => choose(nextWindow(chosen, 1)),
    Escape: () => (big ? setBig(false) : back()),
    ...forwards,
  });
  const head = useCallback(
    (lane: LaneSpec, place: number) => (
      <LaneHead lane={lane} place={place} layout={layout} onLayout={change} />
    ),
    [layout, change],
  );
  const onScale = useCallback(
    (place: number, scale: [number, number] | null) => change(changed(layout, place, { scale })),
    [layout, change],
  );
  const onChannel = useCallback((one: LaneChannel) => setChannel(one.id), []);
  const statusRef = useRef(status);
  useEffect(() => {
    statusRef.current = status;
  }, [status]);
  const onLimit = useCallback((one: LaneChannel, which: "low" | "high", value: number) => {
    const now = statusRef.current.channels.find((other) => other.id === one.id);
    if (!now) return;
    const before = limitsOf(now);
    putLimits(one.id, { ...before, [which]: value })
      .then(() => {
        setTrouble("");
        setMoved({ ...movedLimit(now, which, value), back: () => putLimits(one.id, before) });
      })
      .catch((error: unknown) => setTrouble(said(error)));
  }, []);
  // It can be undone for a while.
  useEffect(() => {
    if (!moved) return;
    const timer = setTimeout(() => setMoved(null), UNDO_FOR);
    return () => clearTimeout(timer);
  }, [moved]);
  const undo = (): void => {
    moved
      ?.back()
      .then(() => setMoved(null))
      .catch((error: unknown) => setTrouble(said(error)));
  };
  const whole = status.channels.find((one) => one.id === channel);
  const overdue = status.overdue ?? [];
  const notice = [past?.why, overdue[0]?.words].filter(Boolean).join(" ");
  const tools = (
    <Tools>
      {moved && (
        <>
          <span role="status" className="moved">
            {moved.words}
          </span>
          <Chip onPress={undo}>Undo</Chip>
        </>
      )}
      {notice && !moved && (
        <span className="said" title={notice}>
          {notice}
        </span>
      )}
      <Chip
        $chosen={panel === "numbers"}
        aria-pressed={panel === "numbers"}
        onPress={() => setPanel(panel === "numbers" ? "tape" : "numbers")}
      >
        statistics
      </Chip>
      <Chip onPress={() => setBig(true)}>readouts</Chip>
      <Chip onPress={() => setOpen("layout")}>
        layout{layout.hidden.length > 0 && `, ${layout.hidden.length} hidden`}
      </Chip>
      <Chip $chosen={movable} aria-pressed={movable} onPress={() => setMovable(!movable)}>
        {movable ? "limits can be moved" : "limits locked"}
      </Chip>
    </Tools>
  );
  return (
    <Page>
      <VisuallyHidden elementType="h1">Bench</VisuallyHidden>
      <div style={{ display: "grid", gap: 10, gridTemplateColumns: "minmax(0, 1fr)" }}>
        {run?.troubles.map((one) => (
          <Banner key={one}>{one}</Banner>
        ))}
        {trouble && (
          <Banner>
            {trouble} <Chip onPress={() => setTrouble("")}>Dismiss</Chip>
          </Banner>
        )}
        <RunStrip
          status={status}
          heard={here}
          onBegin={() => setOpen("begin")}
          onMark={() => setOpen("mark")}
          onEnd={() => setOpen("end")}
        />
        <Suspense fallback={null}>
          {live.ended && !run && (
            <EndedCard
              ended={live.ended}
              links={[...new Set(status.instruments.filter((one) => !one.released).map((one) => one.link))]}
              onClose={connection.seen}
            />
          )}
        </Suspense>
      </div>
      {status.instruments.length === 0 ? (
        <Suspense fallback={null}>
          <NothingYet ports={status.ports} onAdd={() => void go("/instruments/new")} />
        </Suspense>
      ) : big ? (
        <BigReadouts
          channels={lanes.flatMap((lane) => lane.channels)}
          theme={theme}
          stale={!here}
          onBack={() => setBig(false)}
        />
      ) : (
        <Body>
          <Guard place="bench" part="The instruments">
            <InstrumentColumn instruments={status.instruments} stale={!here} />
          </Guard>
          <Right>
            <Guard place="bench" part="The trends">
              <LaneStack
                lanes={lanes}
                samples={samples}
                past={past}
                view={view}
                live={stretch === null}
                marks={marks}
                theme={theme}
                readings={readings}
                cursor={cursor}
                head={head}
                onZoom={setStretch}
                onScale={onScale}
                onChannel={onChannel}
                onLimit={onLimit}
                limitsMovable={movable}
                left={
                  <Chip
                    $chosen={stretch !== null}
                    aria-pressed={stretch !== null}
                    onPress={freeze}
                    style={{ marginLeft: 6 }}
                  >
                    {stretch === null ? "freeze" : "frozen"}
                  </Chip>
                }
                edge={
                  (stretch === null ? "now" : dated(stretch.end)) + (elsewhere() ? `, ${zoneName()}` : "")
                }
                controls={
                  stretch ? (
                    <Controls>
                      <Chip onPress={() => shift(-0.5)}>earlier</Chip>
                      <Chip onPress={() => shift(0.5)}>later</Chip>
                      <Chip $chosen onPress={back}>
                        back to now <Key>Esc</Key>
                      </Chip>
                    </Controls>
                  ) : (
                    <Controls>
                      {WINDOWS.filter((one) => one.chip).map((one) => (
                        <Chip
                          key={one.key}
                          $chosen={one === chosen}
                          aria-pressed={one === chosen}
                          onPress={() => choose(one)}
                        >
                          {one.text}
                        </Chip>
                      ))}
                      <More
                        aria-label="Stretch of time"
                        value={chosen.key}
                        data-chosen={!chosen.chip}
                        onChange={(event) => {
                          const found = WINDOWS.find((one) => one.key === event.target.value);
                          if (found) choose(found);
                        }}
                      >
                        {WINDOWS.map((one) => (
                          <option key={one.key} value={one.key}>
                            {one.text}
                          </option>
                        ))}
                      </More>
                    </Controls>
                  )
                }
              />
            </Guard>
            <Guard place={panel} part={panel === "tape" ? "The tape" : "The statistics"}>
              {panel === "tape" ? (
                <Tape
                  instruments={status.instruments}
                  roomy={tall}
                  style={{ height: tall ? "46vh" : 128 }}
                  tools={tools}
                  more={
                    <Chip onPress={() => setTall((old) => !old)} aria-expanded={tall}>
                      {tall ? "less" : "more"}
                    </Chip>
                  }
                />
              ) : (
                <NumbersPanel
                  channels={lanes.flatMap((lane) => lane.channels)}
                  live={stretch === null}
                  view={view}
                  cursor={cursor}
                  height={tall ? "46vh" : 220}
                  tools={tools}
                />
              )}
            </Guard>
          </Right>
        </Body>
      )}
      <Suspense fallback={null}>
        {open === "begin" && (
          <BeginWindow overdue={overdue} onClose={() => setOpen("")} onBegun={connection.seen} />
        )}
        {open === "mark" && run && <MarkWindow run={run} onClose={() => setOpen("")} />}
        {open === "end" && run && <EndWindow run={run} onClose={() => setOpen("")} />}
        {open === "layout" && (
          <LayoutWindow
            layout={layout}
            channels={channels}
            onLayout={change}
            onReset={laid.reset}
            onClose={() => setOpen("")}
          />
        )}
        {whole && <ChannelWindow key={whole.id} channel={whole} onClose={() => setChannel(null)} />}
      </Suspense>
    </Page>
  );
}

/** A layout named in the address is taken over, once. */
function useSharedLayout(
  name: string | null,
  change: (layout: Layout) => void,
  say: (trouble: string) => void,
): void {
  useEffect(() => {
    if (!name) return;
    layouts()
      .then((found) => {
        const mine = found.find((one) => one.name === name);
        // From here on it is the person's own: a reload must not undo what is changed in it.
        window.history.replaceState(window.history.state, "", window.location.pathname);
        if (mine) change(mine.data);
        else say(`There is no layout “${name}” at this bench.`);
      })
      .catch((error: unknown) => say(said(error)));
  }, [name, change, say]);
}

/** The records behind the samples at hand, where the view reaches that far. */
function usePast(view: () => LaneView): { samples: Samples; version: number; why: string } | undefined {
  const [told, tell] = useState<{ samples: Samples; version: number; why: string } | undefined>();
  const [past] = useState(
    () => new Past(() => tell({ samples: past.samples, version: past.version, why: past.why })),
  );
  useEffect(() => {
    const look = (): void => {
      const now = view();
      if (Past.needed(now, connection.oldest())) past.want(now, 900);
    };
    look();
    const timer = setInterval(look, 1000);
    return () => clearInterval(timer);
  }, [view, past]);
  return told;
}
