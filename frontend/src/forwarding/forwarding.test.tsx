import { expect, it } from "vitest";
import type { Schemas } from "../api/client";
import { figuresOf } from "./DestinationCard";

const status = (part: Partial<Schemas["DestinationStatus"]>): Schemas["DestinationStatus"] => ({
  id: "far", name: "Far", to: "TCP", on: true, state: "sending", why: "", sent: 0, bytes: 0, waiting: 0, dropped: 0,
  late_ms: null, answered: 0, ...part,
}); // prettier-ignore

it("says what went out, how late, and what was lost", () => {
  expect(figuresOf(status({ sent: 12_345, late_ms: 0.42 }))).toEqual([
    "sending",
    "12 345 sent",
    "none dropped",
    "99 % within 0.42 ms",
  ]);
  // Stored while a broker was away.
  expect(figuresOf(status({ late_ms: 24_949.78 })).at(-1)).toBe("99 % within 24.9 s");
  expect(figuresOf(status({ state: "away", sent: 3, waiting: 40, dropped: 7, answered: 9 }))).toEqual([
    "away",
    "3 sent",
    "40 wait",
    "7 dropped",
    "9 bytes came back, read by nobody",
  ]);
});
