import { afterEach, beforeEach, expect, it } from "vitest";
import { askOnce, queries } from "./queries";

// As the provider of the page does: from then on it listens to the browser's network.
beforeEach(() => queries.mount());
afterEach(() => {
  window.dispatchEvent(new Event("online"));
  queries.unmount();
});

it("asks the bench, which is on this computer, also while the browser has no network", async () => {
  window.dispatchEvent(new Event("offline"));
  expect(await askOnce(["a number"], () => Promise.resolve(5))).toBe(5);
}, 2000);
