import { describe, expect, it } from "vitest";
import { changed } from "./changes";

describe("changes of the status", () => {
  const old = {
    at: 1,
    run: null as null | { rows: number },
    list: [
      { id: "a", n: { x: 1 } },
      { id: "b", n: { x: 2 } },
    ],
  };
  it("leave what has not changed the very same object, and the old one as it was", () => {
    const kept = structuredClone(old);
    const now = changed(old, [
      [["list", 1, "n", "x"], 5],
      [["list", 1, "id"], "c"],
      [["run"], { rows: 1 }],
    ]);
    expect(now).toEqual({
      at: 1,
      run: { rows: 1 },
      list: [
        { id: "a", n: { x: 1 } },
        { id: "c", n: { x: 5 } },
      ],
    });
    expect(now.list[0]).toBe(old.list[0]);
    expect(now.list[1]).not.toBe(old.list[1]);
    expect(old).toEqual(kept);
  });
  it("may be of the whole, and not of what is not there", () => {
    expect(changed<unknown>(old, [[[], 7]])).toBe(7);
    expect(() => changed(old, [[["run", "rows"], 7]])).toThrow("not there");
  });
});
