import { describe, expect, it } from "vitest";
import type { Setup } from "../api/client";
import { afterSave } from "./draft";

const setup = (instrument: object, link: object, query: object[] = []): Setup =>
  ({ instrument, link, query }) as unknown as Setup;

describe("the draft after a save", () => {
  const before = setup({ name: "Meter", talks: "when asked" }, { baud: 9600, parity: "none" });
  it("is what came back, where all of it was sent", () => {
    const sent = setup({ name: "Meter", talks: "when asked" }, { baud: 19200, parity: "none" });
    const what = { link: { baud: 19200 } };
    expect(afterSave({ before, sent, what }, sent, sent)).toEqual(sent);
  });
  it("keeps what was no part of a save of its own: a new name saves the name alone", () => {
    const sent = setup({ name: "Meter", talks: "on its own" }, { baud: 4800, parity: "none" });
    const fresh = setup({ name: "Flow", talks: "when asked" }, { baud: 9600, parity: "none" });
    const what = { instrument: { name: "Flow" } };
    expect(afterSave({ before, sent, what }, sent, fresh)).toEqual(
      setup({ name: "Flow", talks: "on its own" }, { baud: 4800, parity: "none" }),
    );
  });
  it("keeps what was typed since", () => {
    const sent = setup({ name: "Meter", talks: "when asked" }, { baud: 19200, parity: "none" }, [
      { id: "a" },
    ]);
    const now = setup({ name: "Meter", talks: "when asked" }, { baud: 38400, parity: "even" }, [{ id: "b" }]);
    const what = { link: { baud: 19200 }, query: [{ id: "a" }] };
    expect(afterSave({ before, sent, what }, now, sent)).toEqual(now);
  });
});
