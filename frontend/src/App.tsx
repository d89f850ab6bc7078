import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { NavLink, Route, Routes, useLocation } from "react-router";
import styled from "styled-components";
import { AlarmBanner } from "./alarms/AlarmBanner";
import { AlarmSettings } from "./alarms/AlarmSettings";
import { useAlarms } from "./alarms/useAlarms";
import { useTab } from "./alarms/useTab";
import { api, got } from "./api/client";
import { Bench } from "./bench/Bench";
import { AddPage } from "./instruments/AddPage";
import { CalculatedPage } from "./instruments/CalculatedPage";
import { InstrumentsPage } from "./instruments/InstrumentsPage";
import { SetupPage } from "./instruments/SetupPage";
import { SimulatedPage } from "./instruments/SimulatedPage";
import { HealthPage } from "./health/HealthPage";
import { GlobalStyle } from "./look/GlobalStyle";
import { type ThemeName, themes } from "./look/theme";
import { LineBanner } from "./alarms/LineBanner";
import { RefusedPage } from "./alarms/RefusedPage";
import { useLive } from "./live/connection";
import { Logbook } from "./logbook/Logbook";
import { RunPage } from "./logbook/RunPage";
import { Button, Key } from "./parts/Button";
import { Guard } from "./parts/Guard";
import { useKeys } from "./parts/useKeys";
import { Actions, Window } from "./parts/Window";

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
    .name span {
      display: none;
    }
    nav {
      margin-left: 0;
      gap: 0;
    }
    nav a {
      padding: 5px 8px;
    }
    padding: 0 8px;
    > button {
      padding: 0 6px;
    }
    .health {
      font-size: 13px;
    }
    .keys,
    .long,
    &[data-stopped="true"] nav a.usual {
      display: none;
    }
  }
`;

const Keys = styled.dl`
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 8px 16px;
  margin: 0;
  dd {
    margin: 0;
  }
`;

const KEPT = "tidybench-theme";
const LOOKED_AT_EVERY = 30_000;
const LIST: [string, string][] = [
  ["F", "freeze the trends, and go on"],
  ["B", "begin a run"],
  ["M", "mark this moment"],
  ["E", "end the run (asks first)"],
  ["T", "tape, taller and back"],
  ["S", "statistics of what is shown, and back"],
  ["R", "big readouts for across the room, and back"],
  ["1 to 9", "bring a lane forward, and back"],
  ["[ and ]", "a narrower or a wider stretch of time"],
  ["Esc", "back to now, back out"],
];

/** The whole: name, places, health, and the place that is open. */
export function App() {
  const place = useLocation().pathname;
  const [name, setName] = useState<ThemeName>(() =>
    (localStorage.getItem(KEPT) ?? (matchMedia("(prefers-color-scheme: dark)").matches ? "night" : "day")) ===
    "night"
      ? "night"
      : "day",
  );
  const [help, setHelp] = useState(false);
  const [settings, setSettings] = useState(false);
  const live = useLive();
  const run = live.status?.run ?? null;
  const alarms = useAlarms(live);
  useTab(alarms, run);
  const { stopped, all } = useStopped();
  const asked = useQuery({
    queryKey: ["health"],
    queryFn: () => got(api.GET("/api/health")),
    refetchInterval: LOOKED_AT_EVERY,
    retry: false,
  }).data?.question;
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
  const theme = themes[name];
  return (
    <>
      <GlobalStyle $name={name} />
      <div ref={above}>
        <Bar data-stopped={stopped > 0}>
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
            <NavLink to="/" end>
              Bench
            </NavLink>
            <NavLink to="/instruments">Instruments</NavLink>
            <NavLink to="/logbook">Logbook</NavLink>
            <NavLink to="/health" className="usual">
              Health
            </NavLink>
          </nav>
          {asked && (
            <span className="health" role="status">
              <NavLink to="/health">A question about the database</NavLink>
            </span>
          )}
          {stopped > 0 && (
            <span className="health" role="status">
              <NavLink to="/health">
                {stopped} <span className="long">of {all} instruments </span>stopped
              </NavLink>
            </span>
          )}
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
        <LineBanner live={live} />
        <AlarmBanner alarms={alarms} run={run} onSettings={() => setSettings(true)} />
      </div>
      {live.line === "refused" ? (
        <RefusedPage />
      ) : (
        <Guard place={place}>
          <Routes>
            <Route path="/" element={<Bench theme={theme} />} />
            <Route path="/instruments" element={<InstrumentsPage />} />
            <Route path="/instruments/new" element={<AddPage />} />
            <Route path="/instruments/calculated" element={<CalculatedPage />} />
            <Route path="/instruments/:id" element={<SetupPage />} />
            <Route path="/simulated" element={<SimulatedPage />} />
            <Route path="/health" element={<HealthPage />} />
            <Route path="/logbook" element={<Logbook />} />
            <Route path="/logbook/:id" element={<RunPage theme={theme} />} />
            <Route
              path="*"
              element={<p style={{ padding: 40 }}>There is no such page. The places are above.</p>}
            />
          </Routes>
        </Guard>
      )}
      {settings && <AlarmSettings onClose={() => setSettings(false)} />}
      {help && (
        <Window title="Keys" open onClose={() => setHelp(false)}>
          <p>On the Bench, when no field has focus:</p>
          <Keys>
            {LIST.map(([key, what]) => (
              <div key={key} style={{ display: "contents" }}>
                <dt>
                  <Key>{key}</Key>
                </dt>
                <dd>{what}</dd>
              </div>
            ))}
          </Keys>
          <Actions>
            <Button $kind="bright" onPress={() => setHelp(false)}>
              Close
            </Button>
          </Actions>
        </Window>
      )}
    </>
  );
}

/** How many instruments have stopped, of all. */
function useStopped(): { stopped: number; all: number } {
  const { status } = useLive();
  const all = status?.instruments ?? [];
  const stopped = all.filter((one) => one.stages.some((stage) => stage.state === "stopped")).length;
  return { stopped, all: all.length };
}
