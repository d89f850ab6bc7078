import { afterEach } from "vitest";
import { queries } from "./api/queries";

/** What jsdom lacks and the components or the charts ask for. */

Object.assign(globalThis, {
  CSS: { escape: (text: string) => text.replace(/[^\w-]/g, (char) => `\\${char}`) },
  matchMedia: () => ({
    matches: false,
    addEventListener: () => undefined,
    removeEventListener: () => undefined,
  }),
  ResizeObserver: class {
    observe = (): void => undefined;
    unobserve = (): void => undefined;
    disconnect = (): void => undefined;
  },
});

afterEach(() => queries.clear());
