import { useQuery } from "@tanstack/react-query";
import { lazy, memo, Suspense, useEffect, useRef, useState } from "react";
import { NavLink, Route, Routes, useLocation } from "react-router";
import styled from "styled-components";
import { AlarmBanner } from "./alarms/AlarmBanner";
import { useAlarms } from "./alarms/useAlarms";
import { useTab } from "./alarms/useTab";
import { api, got } from "./api/client";
import { Bench } from "./bench/Bench";
import { GlobalStyle } from "./look/GlobalStyle";
import { type Theme, type ThemeName, themes } from "./look/theme";
import { LineBanner } from "./alarms/LineBanner";
import { SafeBanner } from "./alarms/SafeBanner";
import { RefusedPage } from "./alarms/RefusedPage";
import { ProcedureBanner } from "./procedures/ProcedureBanner";
import { ReactionBanner } from "./reactions/ReactionBanner";
import { alike, type LiveState, useLive } from "./live/connection";
import { Button } from "./parts/Button";
import { Guard } from "./parts/Guard";
import { useKeys } from "./parts/useKeys";

// Pages come when they are visited.
const AddPage = lazy(() => import("./instruments/AddPage").then((page) => ({ default: page.AddPage })));
const CalculatedPage = lazy(() =>
  import("./instruments/CalculatedPage").then((page) => ({ default: page.CalculatedPage })),
);
const InstrumentsPage = lazy(() =>
  import("./instruments/InstrumentsPage").then((page) => ({ default: page.InstrumentsPage })),
);
const InstrumentsPlace = lazy(() =>
  import("./instruments/InstrumentsPlace").then((page) => ({ default: page.InstrumentsPlace })),
);
const SetupPage = lazy(() => import("./instruments/SetupPage").then((page) => ({ default: page.SetupPage })));
const SimulatedPage = lazy(() =>
  import("./instruments/SimulatedPage").then((page) => ({ default: page.SimulatedPage })),
);
const ForwardingPage = lazy(() =>
  import("./forwarding/ForwardingPage").then((page) => ({ default: page.ForwardingPage })),
);
const HealthPage = lazy(() => import("./health/HealthPage").then((page) => ({ default: page.HealthPage })));
const ProceduresPage = lazy(() =>
  import("./procedures/ProceduresPage").then((page) => ({ default: page.ProceduresPage })),
);
const ReactionsPage = lazy(() =>
  import("./reactions/ReactionsPage").then((page) => ({ default: page.ReactionsPage })),
);
const CurvesPage = lazy(() => import("./curves/CurvesPage").then((page) => ({ default: page.CurvesPage })));
const Logbook = lazy(() => import("./logbook/Logbook").then((page) => ({ default: page.Logbook })));
const DiskPage = lazy(() => import("./logbook/DiskPage").then((page) => ({ default: page.DiskPage })));
const RunPage = lazy(() => import("./logbook/RunPage").then((page) => ({ default: page.RunPage })));
const ComparePage = lazy(() =>
  import("./logbook/ComparePage").then((page) => ({ default: page.ComparePage })),
);
const CalibratePage = lazy(() =>
  import("./calibration/CalibratePage").then((page) => ({ default: page.CalibratePage })),
);
const CalibrationReport = lazy(() =>
  import("./calibration/CalibrationReport").then((page) => ({ default: page.CalibrationReport })),
);
const AlarmSettings = lazy(() =>
  import("./alarms/AlarmSettings").then((part) => ({ default: part.AlarmSettings })),
);
const KeysWindow = lazy(() => import("./look/KeysWindow").then((part) => ({ default: part.KeysWindow })));

const Bar = styled.header`
  display: flex;
  align-items: center;
  gap: 4px;
  height: 44px;
  padding: 0 16px;
  nav {
    display: flex;
    gap: 4px;
    margin-left: 16px;
    flex: 1;
  }
  nav a {
    padding: 5px 12px;
    border-radius: var(--radius);
    color: var(--quiet);
    text-decoration: none;
    font-weight: 600;
    &.active {
      background: var(--chosen);
      color: var(--ink);
    }
    &:hover {
      color: var(--ink);
    }
  }
  .name {
    display: flex;
    align-items: center;
    gap: 9px;
    font-size: 17px;
    font-weight: 700;
  }
  .health {
    font-weight: 700;
    white-space: nowrap;
    a {
      color: var(--fault);
    }
  }
  @media (max-width: 719px) {
    nav {
      margin-left: 0;
      gap: 0;
      min-width: 0;
      overflow-x: auto;
      scrollbar-width: none;
    }
    .name {
      display: none;
    }
    nav a {
      padding: 5px 4px;
      font-size: 13.5px;
    }
    padding: 0 6px;
    > button {
      padding: 0 6px;
    }
    .health {
      font-size: 13px;
    }
    .keys,
    .long,
    &:has(.stopped) nav a.usual {
      display: none;
    }
  }
`;

const KEPT = "tidybench-theme";
const LOOKED_AT_EVERY = 30_000;

/** The whole: name, places, health, and the place that is open. It draws none of the live state itself. */
export function App() {
  const [name, setName] = useState<ThemeName>(() =>
    (localStorage.getItem(KEPT) ?? (matchMedia("(prefers-color-scheme: dark)").matches ? "night" : "day")) ===
    "night"
      ? "night"
      : "day",
  );
  const place = useLocation().pathname;
  const [help, setHelp] = useState(false);
  const [settings, setSettings] = useState(false);
  useEffect(() => localStorage.setItem(KEPT, name), [name]);
  useKeys({ "?": () => setHelp(true) });
  const above = useRef<HTMLDivElement>(null);
  useEffect(() => {
    // Pages that fill the screen leave room for what stands above them.
    const element = above.current;
    if (!element) return;
    const observer = new ResizeObserver(() =>
      document.documentElement.style.setProperty("--above", `${element.offsetHeight}px`),
    );
    observer.observe(element);
    return () => observer.disconnect();
  }, []);
  const other = name === "day" ? "night" : "day";
  return (
    <>
      <GlobalStyle $name={name} />
      <div ref={above} style={{ display: "flow-root" }}>
        <Bar>
          <div className="name">
            <svg
              width="24"
              height="24"
              viewBox="0 0 24 24"
              fill="none"
              stroke="var(--action)"
              strokeWidth="2.4"
              strokeLinecap="round"
              strokeLinejoin="round"
              aria-hidden="true"
            >
              <path d="M2 9h5l3-6 4 11 2-5h6M2 18h20M6 18v4M18 18v4" />
            </svg>
            <span>Tidy Bench</span>
          </div>
          <nav aria-label="Places">
            <NavLink
              to="/"
              end
              className={({ isActive }) => (isActive || place === "/curves" ? "active" : "")}
            >
              Bench
            </NavLink>
            <NavLink
              to="/instruments"
              className={({ isActive }) => (isActive || place === "/simulated" ? "active" : "")}
            >
              Instruments
            </NavLink>
            <NavLink to="/procedures">Procedures</NavLink>
            <NavLink to="/logbook">Logbook</NavLink>
            <NavLink to="/health" className="usual">
              Health
            </NavLink>
          </nav>
          <HealthNotes />
          <Button $kind="plain" onPress={() => setName(other)}>
            {other === "night" ? "Night" : "Day"}
          </Button>
          <Button $kind="plain" className="keys" onPress={() => setSettings(true)}>
            Alarms
          </Button>
          <Button $kind="plain" className="keys" aria-label="Keys" onPress={() => setHelp(true)}>
            ?
          </Button>
        </Bar>
        <LineBanner />
        <SafeBanner />
        <ReactionBanner />
        <ProcedureBanner />
        <Alarms onSettings={() => setSettings(true)} />
      </div>
      <Place theme={themes[name]} />
      <Suspense fallback={null}>{settings && <AlarmSettings onClose={() => setSettings(false)} />}</Suspense>
      <Suspense fallback={null}>{help && <KeysWindow onClose={() => setHelp(false)} />}</Suspense>
    </>
  );
}

/** While a page is fetched. */
const Opening = () => (
  <main style={{ padding: "24px 40px" }}>
    <h1 style={{ fontSize: 16, fontWeight: 400 }}>Opening the page …</h1>
  </main>
);

/** The place that the address names. */
const Place = memo(function Place({ theme }: { theme: Theme }) {
  const place = useLocation().pathname;
  const refused = useLive(({ line }) => line === "refused");
  if (refused) return <RefusedPage />;
  return (
    <Guard place={place}>
      <Suspense fallback={<Opening />}>
        <Routes>
          <Route path="/" element={<Bench theme={theme} />} />
          <Route element={<InstrumentsPlace />}>
            <Route path="/instruments" element={<InstrumentsPage />} />
            <Route path="/instruments/calculated" element={<CalculatedPage />} />
            <Route path="/instruments/handed-on" element={<ForwardingPage />} />
            <Route path="/simulated" element={<SimulatedPage />} />
          </Route>
          <Route path="/instruments/new" element={<AddPage />} />
          <Route path="/instruments/:id" element={<SetupPage />} />
          <Route path="/calibrate/:channel" element={<CalibratePage />} />
          <Route path="/logbook/:id/calibration" element={<CalibrationReport />} />
          <Route path="/curves" element={<CurvesPage theme={theme} />} />
          <Route path="/health" element={<HealthPage />} />
          <Route path="/procedures" element={<ProceduresPage theme={theme} />} />
          <Route path="/procedures/reactions" element={<ReactionsPage />} />
          <Route path="/logbook" element={<Logbook />} />
          <Route path="/logbook/disk" element={<DiskPage />} />
          <Route path="/logbook/compare" element={<ComparePage theme={theme} />} />
          <Route path="/logbook/:id" element={<RunPage theme={theme} />} />
          <Route
            path="*"
            element={
              <main style={{ padding: "24px 40px" }}>
                <h1>No such page</h1>
                <p>The places are above.</p>
              </main>
            }
          />
        </Routes>
      </Suspense>
    </Guard>
  );
});

const runOf = ({ status }: LiveState) => ({
  name: status?.run?.name ?? null,
  operator: status?.run?.operator ?? "",
});

/** What calls for a person, on every page, in the browser's tab too. */
function Alarms({ onSettings }: { onSettings: () => void }) {
  const { name, operator } = useLive(runOf, alike);
  const run = name === null ? null : { name, operator };
  const alarms = useAlarms();
  useTab(alarms, run);
  return <AlarmBanner alarms={alarms} run={run} onSettings={onSettings} />;
}

/** How many instruments have stopped, of all. */
function stoppedOf({ status }: LiveState): { stopped: number; all: number } {
  const all = status?.instruments ?? [];
  const stopped = all.filter((one) => one.stages.some((stage) => stage.state === "stopped")).length;
  return { stopped, all: all.length };
}

/** What of the bench itself wants to be looked at. */
function HealthNotes() {
  const { stopped, all } = useLive(stoppedOf, alike);
  const asked = useQuery({
    queryKey: ["health"],
    queryFn: () => got(api.GET("/api/health")),
    refetchInterval: LOOKED_AT_EVERY,
    retry: false,
  }).data?.question;
  return (
    <>
      {asked && (
        <span className="health" role="status">
          <NavLink to="/health">A question about the database</NavLink>
        </span>
      )}
      {stopped > 0 && (
        <span className="health stopped" role="status">
          <NavLink to="/health">
            {stopped} <span className="long">of {all} instruments </span>stopped
          </NavLink>
        </span>
      )}
    </>
  );
}
