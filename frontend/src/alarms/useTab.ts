import { useEffect } from "react";
import type { RunStatus } from "../api/client";
import type { Alarm } from "./useAlarms";

const INKS = { quiet: "%230B5F55", run: "%23133A31", alarm: "%23B3361E" };
const FRAME = "M2 9h5l3-6 4 11 2-5h6M2 18h20M6 18v4M18 18v4";

/** The browser's tab: what is logged, and that there is an alarm, also where another tab is in front. */
export function tabOf(alarms: Alarm[], run: Pick<RunStatus, "name"> | null): { title: string; icon: string } {
  const [first] = alarms;
  const what = alarms.length > 0 ? "alarm" : run ? "run" : "quiet";
  const names = {
    quiet: "Tidy Bench",
    run: `Logging: ${run?.name ?? ""}`,
    alarm: `Alarm: ${first?.words ?? ""}`,
  };
  // A dot for a run, a filled square for an alarm: never by colour alone.
  const badge = {
    quiet: "",
    run: "%3Ccircle cx='19' cy='5' r='5'/%3E",
    alarm: "%3Cpath d='M12 0h12v12H12z'/%3E",
  };
  const ink = INKS[what];
  const icon =
    "data:image/svg+xml,%3Csvg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 24 24'%3E" +
    `%3Cpath d='${FRAME}' fill='none' stroke='${ink}' stroke-width='2.6' stroke-linecap='round' stroke-linejoin='round'/%3E` +
    `%3Cg fill='${ink}'%3E${badge[what]}%3C/g%3E%3C/svg%3E`;
  const more = alarms.length > 1 ? ` and ${alarms.length - 1} more` : "";
  return { title: `${names[what]}${more}${what === "quiet" ? "" : " – Tidy Bench"}`, icon };
}

export function useTab(alarms: Alarm[], run: Pick<RunStatus, "name"> | null): void {
  const { title, icon } = tabOf(alarms, run);
  useEffect(() => {
    document.title = title;
  }, [title]);
  useEffect(() => {
    document.querySelector<HTMLLinkElement>("link[rel=icon]")?.setAttribute("href", icon);
  }, [icon]);
}
