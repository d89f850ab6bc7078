import { describe, expect, it } from "vitest";
import { instrument } from "../fixtures.test-setup";
import type { Schemas } from "../api/client";
import { captureWords } from "./CaptureStrip";
import { paceWords } from "./CaptureWindow";

const capture = (part: Partial<Schemas["CaptureStatus"]>): Schemas["CaptureStatus"] => ({
  number: 1, name: "Step", words: "Speed above 5 rpm", samples: 1000, before: 0, times: 1, taken: 0, gathered: 0,
  triggered: false, missed: 0, asked_at: 1_795_801_314_000_000, due: null, ...part,
}); // prettier-ignore

describe("a capture", () => {
  it("says what it waits for, and what is there already", () => {
    const words = captureWords(capture({ before: 100, gathered: 40, times: 3, taken: 1 }));
    expect(words).toMatch(
      /^waits \(2 of 3\) for Speed above 5 rpm since \d\d:\d\d:\d\d, 40 of the 100 samples before it are there$/,
    );
  });
  it("says how far it is, and which triggers it missed", () => {
    expect(captureWords(capture({ triggered: true, gathered: 612, missed: 2 }))).toBe(
      "takes: 612 of 1000 samples; 2 triggers came while it was taking",
    );
  });
});

describe("its pace", () => {
  it("is said before it is taken", () => {
    const one = { ...instrument(), name: "Shaker", messages_per_s: 5000, asked_per_s: null };
    expect(paceWords(one, 1000)).toBe("Shaker brings 5000 a second at present: 1000 samples take 0.2 s.");
    expect(paceWords({ ...one, messages_per_s: 0 }, 1000)).toBe("Nothing comes from Shaker at present.");
  });
  it("says what the link bears where less is asked for", () => {
    const one = { ...instrument(), name: "Meter", messages_per_s: 5, asked_per_s: 5, answer_ms: 29 };
    expect(paceWords(one, 100)).toContain("the link bears about 34.");
  });
});
