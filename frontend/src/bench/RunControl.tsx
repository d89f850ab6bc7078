import { lazy, Suspense, useEffect, useState } from "react";
import { Navigate, useSearchParams } from "react-router";
import { api, got, type RunStatus } from "../api/client";
import { useAct } from "../api/useAct";
import { alike, connection, type LiveState, useLive } from "../live/connection";
import { Banner } from "../parts/Banner";
import { useKeys } from "../parts/useKeys";
import { usePoints } from "../points/usePoints";
import { beginWords } from "./plan";
import { RunStrip } from "./RunStrip";

// What is not there at first comes when it is opened.
const BeginWindow = lazy(() => import("./BeginWindow").then((part) => ({ default: part.BeginWindow })));
const EndWindow = lazy(() => import("./RunWindows").then((part) => ({ default: part.EndWindow })));
const EndsWindow = lazy(() => import("./EndsWindow").then((part) => ({ default: part.EndsWindow })));
const CallOffWindow = lazy(() => import("./RunWindows").then((part) => ({ default: part.CallOffWindow })));
const MarkWindow = lazy(() => import("./RunWindows").then((part) => ({ default: part.MarkWindow })));
const PointWindow = lazy(() =>
  import("../points/PointWindow").then((part) => ({ default: part.PointWindow })),
);
const PointTaking = lazy(() =>
  import("../points/PointTaking").then((part) => ({ default: part.PointTaking })),
);
const EndedCard = lazy(() => import("./EndedCard").then((part) => ({ default: part.EndedCard })));

const NO_TROUBLE: string[] = [];

const runOf = ({ line, status, ended }: LiveState) => ({
  heard: line === "live",
  run: status?.run ?? null,
  armed: status?.armed ?? null,
  begins: status?.armed
    ? beginWords(status.armed.begins, (id) => status.channels.find((one) => one.id === id)?.name ?? id)
    : "",
  verdict: status?.verdict,
  disk: status?.disk,
  // Runs keep curves too: an instrument that sends nothing else can be logged.
  channels: (status?.channels.length ?? 0) + (status?.instruments.filter((one) => one.draws).length ?? 0),
  ended,
});

/** The run: its strip, what is wrong with it, and the windows that begin it, mark it and end it. */
export function RunControl() {
  const { heard, run, armed, begins, verdict, disk, channels, ended } = useLive(runOf, alike);
  const [address, setAddress] = useSearchParams();
  const [open, setOpen] = useState<"" | "begin" | "mark" | "end" | "ends" | "off">(() =>
    address.has("begin") && !run && !armed ? "begin" : "",
  );
  useEffect(() => {
    if (address.has("begin")) setAddress({}, { replace: true });
  }, [address, setAddress]);
  useKeys({
    b: () => !run && !armed && channels > 0 && setOpen("begin"),
    e: () => run && setOpen("end"),
    m: () => run && setOpen("mark"),
    p: () => run && !run.taking && setAddress({ point: "" }),
  });
  const close = (): void => setOpen("");
  const act = useAct();
  const beginNow = (): void =>
    act.run(async () => {
      if (armed)
        connection.began(
          await got(api.POST("/api/armed/{armed}/begin", { params: { path: { armed: armed.id } } })),
        );
    });
  if (!verdict || !disk) return null;
  return (
    <>
      {(run?.troubles ?? armed?.troubles ?? NO_TROUBLE).map((one) => (
        <Banner key={one}>{one}</Banner>
      ))}
      <RunStrip
        status={{ run, armed, verdict, disk }}
        begins={begins}
        channels={channels}
        heard={heard}
        onBegin={() => setOpen("begin")}
        onMark={() => setOpen("mark")}
        onEnd={() => setOpen("end")}
        onEnds={() => setOpen("ends")}
        onBeginNow={beginNow}
        onCallOff={() => setOpen("off")}
      />
      {act.trouble && <Banner>{act.trouble}</Banner>}
      {run?.taking && (
        <Suspense fallback={null}>
          <PointTaking taking={run.taking} heard={heard} />
        </Suspense>
      )}
      <Suspense fallback={null}>
        {ended && !run && <Ended />}
        {open === "begin" && <Begin onClose={close} />}
        {address.has("point") && run?.calibrates && (
          <Navigate to={`/calibrate/${run.calibrates.channel}`} replace />
        )}
        {address.has("point") && run && !run.calibrates && <Take run={run} onClose={() => setAddress({})} />}
        {open === "mark" && run && <MarkWindow run={run} onClose={close} />}
        {open === "off" && armed && <CallOffWindow armed={armed} onClose={close} />}
        {open === "ends" && run && <Ends run={run} onClose={close} />}
        {open === "end" && run && <EndWindow run={run} onClose={close} />}
      </Suspense>
    </>
  );
}

const NO_CHANNELS: NonNullable<LiveState["status"]>["channels"] = [];

function Begin({ onClose }: { onClose: () => void }) {
  const channels = useLive(({ status }) => status?.channels ?? NO_CHANNELS);
  return <BeginWindow channels={channels} onClose={onClose} onBegun={connection.began} />;
}

function Take({ run, onClose }: { run: RunStatus; onClose: () => void }) {
  const channels = useLive(({ status }) => status?.channels ?? NO_CHANNELS);
  const { rule, settled } = usePoints();
  return settled && <PointWindow run={run} rule={rule ?? null} channels={channels} onClose={onClose} />;
}

function Ends({ run, onClose }: { run: RunStatus; onClose: () => void }) {
  const channels = useLive(({ status }) => status?.channels ?? NO_CHANNELS);
  return <EndsWindow run={run} channels={channels} onClose={onClose} />;
}

function Ended() {
  const ended = useLive((live) => live.ended);
  const links = useLive(
    ({ status }) => [
      ...new Set(status?.instruments.filter((one) => !one.released).map((one) => one.link) ?? []),
    ],
    alike,
  );
  return ended && <EndedCard ended={ended} links={links} onClose={connection.seen} />;
}
