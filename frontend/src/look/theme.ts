/** The one theme: tokens for day and night. Styles use the CSS variables, charts the values. */

export type ThemeName = "day" | "night";

const day = {
  ground: "#E6EDE8",
  panel: "#FAFCFA",
  hairline: "#C8D5CD",
  ruling: "#E3ECE6",
  ink: "#12241D",
  quiet: "#4F665C",
  action: "#0B5F55",
  actionInk: "#FFFFFF",
  chosen: "#D3DFD8",
  logging: "#133A31",
  loggingInk: "#F2F8F5",
  loggingQuiet: "#A9C4B9",
  fault: "#A83018",
  faultGround: "#FBE9E4",
  caution: "#815606",
  query: "#1F5FBF",
  mark: "#12241D",
  markInk: "#FFFFFF",
  shadow: "0 1px 2px rgba(18, 36, 29, 0.08)",
};

const night: typeof day = {
  ground: "#0D1613",
  panel: "#15221D",
  hairline: "#31463D",
  ruling: "#1F302A",
  ink: "#E6F0EB",
  quiet: "#A3B8AE",
  action: "#66CDBA",
  actionInk: "#08211C",
  chosen: "#274037",
  logging: "#1B4D41",
  loggingInk: "#F2F8F5",
  loggingQuiet: "#B4CEC3",
  fault: "#FF9A82",
  faultGround: "#3A1D16",
  caution: "#E8B95A",
  query: "#8AB6FF",
  mark: "#E6F0EB",
  markInk: "#0D1613",
  shadow: "0 1px 2px rgba(0, 0, 0, 0.4)",
};

const dayInks = ["#1F5FBF", "#A8471A", "#6B3FA0", "#A8246B", "#3E6F14", "#2E6F7E", "#7A5A00", "#4A4F8C"];
const nightInks = ["#82B1FF", "#F29B70", "#BCA2F5", "#F490C3", "#9FD069", "#7FC8D8", "#DDBA55", "#AEB5F7"];

export const themes = { day: { ...day, inks: dayInks }, night: { ...night, inks: nightInks } };
export type Theme = (typeof themes)["day"];

/** A second cue for channels that share a lane: canvas dash patterns, the first one solid. */
export const dashes: number[][] = [[], [7, 4], [2, 3], [12, 4, 2, 4]];

export const mono = '"Atkinson Hyperlegible Mono Variable", monospace';
export const digits = '"B612", sans-serif';

/** The tokens as CSS custom properties. */
export function variables(name: ThemeName): string {
  return Object.entries(themes[name])
    .filter((entry): entry is [string, string] => typeof entry[1] === "string")
    .map(([key, value]) => `--${key}: ${value};`)
    .join("\n");
}
