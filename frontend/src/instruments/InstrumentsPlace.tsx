import { type ReactNode, Suspense } from "react";
import { Tab, TabList, TabPanel, Tabs } from "react-aria-components";
import { Outlet, useLocation, useNavigate } from "react-router";
import styled from "styled-components";
import { useLive } from "../live/connection";

const Frame = styled(Tabs)`
  display: block;
`;

const List = styled(TabList)`
  display: flex;
  gap: 4px;
  padding: 4px 18px 0;
  border-bottom: 1px solid var(--hairline);
  overflow: auto hidden;
`;

const Name = styled(Tab)`
  padding: 8px 14px;
  min-height: 36px;
  border-radius: var(--radius) var(--radius) 0 0;
  border: 1px solid transparent;
  border-bottom: 0;
  margin-bottom: -1px;
  font-weight: 600;
  color: var(--quiet);
  white-space: nowrap;
  cursor: pointer;
  outline-offset: -4px;
  &[data-hovered] {
    color: var(--ink);
  }
  &[data-selected] {
    background: var(--ground);
    border-color: var(--hairline);
    color: var(--ink);
  }
`;

const TABS = {
  "/instruments": "Instruments",
  "/instruments/calculated": "Calculated channels",
  "/instruments/handed-on": "Handed on",
  "/simulated": "Simulated instruments",
};

/** The place of all instruments: what is connected, what is calculated from it, and, in the demo, what is simulated. */
export function InstrumentsPlace() {
  const go = useNavigate();
  const { pathname } = useLocation();
  const simulated = useLive(({ status }) => status?.instruments.some((one) => one.simulated) ?? false);
  const shown = Object.entries(TABS).filter(
    ([path]) => path !== "/simulated" || simulated || pathname === path,
  );
  return (
    <main>
      <Frame
        selectedKey={pathname}
        onSelectionChange={(path) => path !== pathname && void go(String(path))}
        keyboardActivation="manual"
      >
        <List aria-label="Instruments">
          {shown.map(([path, words]) => (
            <Name key={path} id={path}>
              {words}
            </Name>
          ))}
        </List>
        <TabPanel id={pathname} style={{ outlineOffset: -3 }}>
          <Suspense fallback={<Opening />}>
            <Outlet />
          </Suspense>
        </TabPanel>
      </Frame>
    </main>
  );
}

const Opening = (): ReactNode => <p style={{ padding: 40 }}>Opening the page …</p>;
