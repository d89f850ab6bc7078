import { describe, expect, it } from "vitest";
import { arranged, PLAIN } from "../bench/layout";
import { laneHeights, limitWords, patienceOf, within } from "../bench/lanes";
import { hex, pieces } from "../parts/ControlText";
import { stage } from "../fixtures.test-setup";
import { firstFault } from "../parts/ReadingPath";
import { count, elapsed, figure, hours, length, qualityWords } from "./format";
import { themes } from "./theme";

const channel = (number: number, unit: string) => ({
  id: `c${number}`, number, name: `c${number}`, unit, decimals: 1, interval_s: 1, low: null, high: null,
}); // prettier-ignore

describe("figures and times", () => {
  it("keeps decimals fixed and writes a real minus sign", () => {
    expect(figure(148.27, 1)).toBe("148.3");
    expect(figure(-5, 2)).toBe("−5.00");
    expect([figure(-0.0004, 3), figure(-0.0006, 3), figure(-0, 1)]).toEqual(["0.000", "−0.001", "0.0"]);
  });
  it("shows days once there are some", () => {
    expect(elapsed(872_000)).toBe("00:14:32");
    expect(elapsed(3 * 86_400_000 + 1000)).toBe("3 d 00:00:01");
    expect(length(480_000)).toBe("8 min 00 s");
    expect(length(7_500_000)).toBe("2 h 05 min");
  });
  it("sets thousands apart", () => expect(count(4361000)).toBe("4 361 000"));
  it("says hours as a person does", () => {
    expect([0.5, 6.7, 500].map(hours)).toEqual(["less than an hour", "6 h", "20 days"]);
  });
  it("has words for every quality", () => {
    expect(
      Array.from({ length: 9 }, (_, q) => qualityWords(q))
        .slice(1)
        .every((w) => w.length > 3),
    ).toBe(true);
  });
});

describe("the tape's text", () => {
  it("boxes control characters by name", () => {
    expect(pieces("FL?\r\n\x02é")).toEqual([
      { text: "FL?", control: false },
      { text: "CR", control: true },
      { text: "LF", control: true },
      { text: "STX", control: true },
      { text: "E9", control: true },
    ]);
    expect(hex("A\r")).toBe("41 0D");
  });
});

describe("lanes", () => {
  it("puts channels with the same unit into one lane, the second with a dash", () => {
    const lanes = arranged([channel(1, "bar"), channel(2, "V"), channel(3, "bar")], PLAIN);
    expect(lanes.map((lane) => [lane.unit, lane.channels.map((c) => [c.number, c.dash])])).toEqual([
      ["bar", [[1, 0], [3, 1]]],
      ["V", [[2, 0]]],
    ]); // prettier-ignore
  });
  it("judges values by their limits", () => {
    const limits = { low: 60, high: 165 };
    expect([59, 60, 165, 166].map((value) => within(value, limits))).toEqual([
      "below",
      "within",
      "within",
      "above",
    ]);
    expect(within(5, { low: null, high: null })).toBe("none");
    expect(limitWords(limits)).toBe("60 to 165");
    expect(limitWords({ low: null, high: 2.8 })).toBe("below 2.8");
  });
  it("shares the room, but leaves every readout its place", () => {
    expect(laneHeights([1, 1, 1], 501)).toEqual([167, 167, 167]);
    expect(laneHeights([1, 3, 1], 251)).toEqual([62, 126, 62]);
    // A lane of many does not grow for them: they have a line each, and are scrolled.
    expect(laneHeights([1, 32, 1], 256)).toEqual([52, 152, 52]);
    // They stand close before they scroll: eleven lanes of fourteen channels have 488 pixels at 1280 by 800.
    const many = [1, 1, 2, 1, 2, 1, 1, 1, 2, 1, 1];
    expect(laneHeights(many, 488).reduce((sum, height) => sum + height, 0)).toBeLessThanOrEqual(488);
    expect(laneHeights([1, 1, 1, 1, 1, 1], 312)).toEqual([52, 52, 52, 52, 52, 52]);
    expect(laneHeights([1, 1, 1, 1, 1, 1], 200)).toEqual([36, 36, 36, 36, 36, 36]);
    // A phone scrolls its page.
    expect(laneHeights([1, 2], 60, [], false)).toEqual([52, 86]);
    expect(laneHeights([1, 1], 400, [3, 1])).toEqual([300, 100]);
    expect(laneHeights([], 300)).toEqual([]);
  });
  it("waits for slow channels", () => expect(patienceOf({ interval_s: 60 })).toBe(180_000));
});

describe("the reading path", () => {
  it("names what is stopped before what has losses", () => {
    const found = firstFault([
      stage("Bytes"),
      stage("Bytes", "losses", "2 late"),
      stage("Bytes", "stopped", "silent"),
    ]);
    expect(found?.words).toBe("silent");
    expect(firstFault([stage("Bytes")])).toBeNull();
  });
});

/** Contrast of two colours (WCAG 2.2, relative luminance). */
function contrast(one: string, other: string): number {
  const light = (colour: string): number => {
    const [r, g, b] = [1, 3, 5].map((at) => {
      const c = parseInt(colour.slice(at, at + 2), 16) / 255;
      return c <= 0.04045 ? c / 12.92 : ((c + 0.055) / 1.055) ** 2.4;
    }) as [number, number, number];
    return 0.2126 * r + 0.7152 * g + 0.0722 * b;
  };
  const [high, low] = [light(one), light(other)].sort((a, b) => b - a) as [number, number];
  return (high + 0.05) / (low + 0.05);
}

describe.each(Object.entries(themes))("the %s theme", (_, theme) => {
  it("has contrast AA for all text", () => {
    const pairs: [string, string][] = [
      [theme.ink, theme.ground], [theme.ink, theme.panel], [theme.quiet, theme.ground], [theme.quiet, theme.panel],
      [theme.action, theme.ground], [theme.action, theme.panel], [theme.actionInk, theme.action],
      [theme.loggingInk, theme.logging], [theme.loggingQuiet, theme.logging], [theme.fault, theme.panel],
      [theme.fault, theme.ground], [theme.fault, theme.faultGround], [theme.caution, theme.panel],
      [theme.ink, theme.chosen], [theme.markInk, theme.mark], [theme.query, theme.panel],
      ...theme.inks.map((ink): [string, string] => [ink, theme.panel]),
    ]; // prettier-ignore
    for (const [one, other] of pairs) expect(contrast(one, other), `${one} on ${other}`).toBeGreaterThan(4.5);
  });
});
