import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { VisuallyHidden } from "react-aria-components";
import { useNavigate, useSearchParams } from "react-router";
import styled from "styled-components";
import type { RunStatus, Status } from "../api/client";
import { clock } from "../look/format";
import type { Theme } from "../look/theme";
import { connection, useLive } from "../live/connection";
import { Chip } from "../parts/Button";
import { useKeys } from "../parts/useKeys";
import { Tape } from "../tape/Tape";
import { InstrumentColumn } from "./InstrumentColumn";
import { LaneStack } from "./LaneStack";
import type { LaneMark, LaneView } from "./Lane";
import { type LaneChannel, lanesOf, patienceOf, within } from "./lanes";
import { NothingYet } from "./NothingYet";
import { RunStrip } from "./RunStrip";
import { BeginWindow, EndWindow, MarkWindow } from "./RunWindows";

const Page = styled.main`
  display: grid;
  grid-template-rows: auto minmax(0, 1fr);
  grid-template-columns: minmax(0, 1fr);
  gap: 10px;
  padding: 0 12px 12px;
  height: calc(100dvh - 44px);
  min-height: 560px;
  @media (max-width: 719px) {
    height: auto;
    min-height: calc(100dvh - 44px);
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

const Banner = styled.div`
  background: var(--faultGround);
  color: var(--fault);
  border: 1px solid var(--fault);
  border-radius: var(--radius);
  padding: 10px 16px;
  font-weight: 600;
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

const WINDOWS: { label: string; ms: number | null }[] = [
  { label: "30 s", ms: 30_000 },
  { label: "5 min", ms: 300_000 },
  { label: "1 h", ms: 3_600_000 },
  { label: "run", ms: null },
];
const KEPT = "tidybench-window";

/** The live view. */
export function Bench({ theme }: { theme: Theme }) {
  const live = useLive();
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
  const [open, setOpen] = useState<"" | "begin" | "mark" | "end">(() =>
    address.has("begin") && !status.run ? "begin" : "",
  );
  useEffect(() => {
    if (address.has("begin")) setAddress({}, { replace: true });
  }, [address, setAddress]);
  const go = useNavigate();
  const [chosen, setChosen] = useState(() => Number(localStorage.getItem(KEPT) ?? 1) % WINDOWS.length);
  const [frozen, setFrozen] = useState<number | null>(null);
  const [tall, setTall] = useState(false);
  const [verdict, setVerdict] = useState<{ out: string[]; known: boolean }>({ out: [], known: false });
  const [ended, setEnded] = useState<{ name: string; id: string; at: number } | null>(null);
  const run = status.run ?? null;
  useEnded(run, setEnded);

  const channelKey = JSON.stringify(status.channels);
  const lanes = useMemo(() => lanesOf(JSON.parse(channelKey) as Status["channels"]), [channelKey]);
  const begun = run ? run.begun_at / 1000 : null;
  const here = live.line === "live";
  const view = useCallback((): LaneView => {
    const end = frozen ?? connection.now();
    const span = WINDOWS[chosen]?.ms ?? (begun === null ? 300_000 : Math.max(end - begun, 10_000));
    return { start: end - span, end };
  }, [chosen, frozen, begun]);
  const markKey = JSON.stringify(run?.marks ?? []);
  const marks = useMemo(
    () =>
      (JSON.parse(markKey) as RunStatus["marks"]).map((mark): LaneMark => ({
        at: mark.at / 1000,
        text: mark.text,
      })),
    [markKey],
  );

  useEffect(() => {
    const timer = setInterval(() => setVerdict(judge(lanes.flatMap((lane) => lane.channels))), 500);
    return () => clearInterval(timer);
  }, [lanes]);

  const choose = (index: number): void => {
    setChosen(index);
    localStorage.setItem(KEPT, String(index));
  };
  const freeze = (): void => setFrozen((old) => (old === null ? connection.now() : null));
  useKeys({
    f: freeze,
    b: () => !run && status.channels.length > 0 && setOpen("begin"),
    e: () => run && setOpen("end"),
    m: () => run && setOpen("mark"),
    t: () => setTall((old) => !old),
    "[": () => choose(Math.max(0, chosen - 1)),
    "]": () => choose(Math.min(WINDOWS.length - 1, chosen + 1)),
    Escape: () => setFrozen(null),
  });
  return (
    <Page>
      <VisuallyHidden elementType="h1">Bench</VisuallyHidden>
      <div style={{ display: "grid", gap: 10, gridTemplateColumns: "minmax(0, 1fr)" }}>
        {!here && (
          <Banner role="alert">
            {live.line === "no server"
              ? `The connection to Tidy Bench is lost since ${clock(live.since)}. What is being logged goes on; this page joins again by itself.`
              : `${live.why} Not heard since ${clock(live.since)}.`}
          </Banner>
        )}
        {here && live.why && <Banner role="alert">{live.why}</Banner>}
        {run?.troubles.map((trouble) => (
          <Banner role="alert" key={trouble}>
            {trouble}
          </Banner>
        ))}
        <RunStrip
          status={status}
          verdict={verdict}
          ended={ended}
          onBegin={() => setOpen("begin")}
          onMark={() => setOpen("mark")}
          onEnd={() => setOpen("end")}
        />
      </div>
      {status.instruments.length === 0 ? (
        <NothingYet ports={status.ports} onAdd={() => void go("/instruments/new")} />
      ) : (
        <Body>
          <InstrumentColumn instruments={status.instruments} stale={!here} />
          <Right>
            <LaneStack
              lanes={lanes}
              samples={connection.samples}
              view={view}
              live={frozen === null}
              marks={marks}
              theme={theme}
              shows="now"
              left={
                <Chip
                  $chosen={frozen !== null}
                  aria-pressed={frozen !== null}
                  onPress={freeze}
                  style={{ marginLeft: 8 }}
                >
                  {frozen === null ? "freeze" : "frozen"}
                </Chip>
              }
              edge={frozen === null ? "now" : clock(frozen)}
              controls={
                <Controls>
                  {WINDOWS.map((one, index) => (
                    <Chip
                      key={one.label}
                      $chosen={index === chosen}
                      aria-pressed={index === chosen}
                      onPress={() => choose(index)}
                    >
                      {one.label}
                    </Chip>
                  ))}
                </Controls>
              }
            />
            <Tape
              instruments={status.instruments}
              roomy={tall}
              style={{ height: tall ? "46vh" : 128 }}
              more={
                <Chip onPress={() => setTall((old) => !old)} aria-expanded={tall}>
                  {tall ? "less" : "more"}
                </Chip>
              }
            />
          </Right>
        </Body>
      )}
      {open === "begin" && <BeginWindow onClose={() => setOpen("")} onBegun={() => setEnded(null)} />}
      {open === "mark" && run && <MarkWindow onClose={() => setOpen("")} />}
      {open === "end" && run && <EndWindow run={run} onClose={() => setOpen("")} />}
    </Page>
  );
}

/** Remember a run that has just ended, whoever ended it. */
function useEnded(
  run: RunStatus | null,
  say: (ended: { name: string; id: string; at: number }) => void,
): void {
  const last = useRef<RunStatus | null>(null);
  useEffect(() => {
    if (last.current && !run) say({ name: last.current.name, id: last.current.id, at: connection.now() });
    last.current = run;
  }, [run, say]);
}

function judge(channels: LaneChannel[]): {
  out: string[];
  known: boolean;
} {
  const out: string[] = [];
  let known = false;
  for (const channel of channels) {
    const last = connection.samples.of(channel.number).last();
    if (!last || last.quality > 1 || connection.now() - last.time > patienceOf(channel)) continue;
    const where = within(last.value, channel);
    if (where === "within") known = true;
    else if (where !== "none") out.push(channel.name);
  }
  return { out, known: known || out.length > 0 };
}
