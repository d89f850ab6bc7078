import { afterEach, describe, expect, it } from "vitest";
import { timeTicks } from "../live/pixels";
import { clock, clockMilli, dated, day, moment } from "./format";
import { benchNow, elsewhere, offsetAt, offsetName, setClock, setZone, startOfDay, zoneName } from "./zone";

const at = (text: string): number => Date.parse(text);

afterEach(() => {
  setZone("");
  setClock(() => Date.now());
});

describe("times", () => {
  it("are those of the bench, wherever the browser is", () => {
    setZone("Asia/Kathmandu");
    expect(clockMilli(at("2026-11-26T18:15:07.250Z"))).toBe("00:00:07.250");
    expect(day(at("2026-11-26T18:15:07Z"))).toBe("2026-11-27");
    expect([offsetName(at("2026-11-26T18:15:07Z")), zoneName(), elsewhere()]).toEqual([
      "UTC+05:45",
      "Asia/Kathmandu",
      true,
    ]);
    setZone("America/St_Johns");
    expect(offsetName(at("2026-01-05T00:00:00Z"))).toBe("UTC−03:30");
    setZone("not a zone");
    expect(offsetAt(0)).toBe(-new Date(0).getTimezoneOffset() * 60_000);
  });

  it("begin a day at its own midnight, where summer time begins or ends too", () => {
    setZone("Europe/Vienna");
    expect(startOfDay("2026-11-26", 0)).toBe(at("2026-11-25T23:00:00Z"));
    expect(startOfDay("2026-11-26", 1)).toBe(at("2026-11-26T23:00:00Z"));
    expect(startOfDay("2026-10-25", 0)).toBe(at("2026-10-24T22:00:00Z"));
    expect(startOfDay("2026-10-25", 1)).toBe(at("2026-10-25T23:00:00Z"));
    expect(startOfDay("2026-03-29", 1)).toBe(at("2026-03-29T22:00:00Z"));
    setZone("Asia/Kathmandu");
    expect(startOfDay("2026-12-31", 1)).toBe(at("2026-12-31T18:15:00Z"));
  });

  it("have their date where that is not the bench's today, whatever this computer's clock says", () => {
    setZone("UTC");
    setClock(() => at("2026-11-26T12:00:00Z"));
    expect(benchNow()).toBe(at("2026-11-26T12:00:00Z"));
    expect(moment(at("2026-11-26T03:04:05Z"))).toBe("03:04:05");
    expect(moment(at("2026-11-25T03:04:05Z"))).toBe("2026-11-25 03:04");
    expect(dated(at("2026-11-25T03:04:05Z"))).toBe("2026-11-25 03:04:05");
  });
});

describe("the ticks of a time axis", () => {
  it("stand at whole local hours on both sides of the end of summer time, the hour that comes twice too", () => {
    setZone("Europe/Berlin");
    const { step, at: ticks } = timeTicks(at("2026-10-24T20:30:00Z"), at("2026-10-25T08:30:00Z"), 6);
    expect(step).toBe(7_200_000);
    expect(ticks.map((t) => `${clock(t).slice(0, 5)} ${offsetName(t).slice(3)}`)).toEqual([
      "00:00 +02:00",
      "02:00 +02:00",
      "02:00 +01:00",
      "04:00 +01:00",
      "06:00 +01:00",
      "08:00 +01:00",
    ]);
  });

  it("leave out the hour that there is not when it begins", () => {
    setZone("Europe/Berlin");
    const { at: ticks } = timeTicks(at("2026-03-28T23:30:00Z"), at("2026-03-29T04:30:00Z"), 6);
    expect(ticks.map((t) => clock(t).slice(0, 5))).toEqual(["01:00", "03:00", "04:00", "05:00", "06:00"]);
  });

  it("are the days of the bench over weeks", () => {
    setZone("Europe/Berlin");
    const { at: ticks } = timeTicks(at("2026-10-20T00:00:00Z"), at("2026-10-30T00:00:00Z"), 12);
    expect(new Set(ticks.map((t) => clock(t)))).toEqual(new Set(["00:00:00"]));
    expect(ticks.map((t) => day(t).slice(8))).toEqual([
      "21",
      "22",
      "23",
      "24",
      "25",
      "26",
      "27",
      "28",
      "29",
      "30",
    ]);
  });
});
