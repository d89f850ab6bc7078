/** Errors of the page itself, to the server's log. */

import { api } from "./client";

/** Tell the server; that it cannot be told is not said. */
export function report(error: unknown, where: string): void {
  const { message, stack = "" } = error instanceof Error ? error : { message: String(error) };
  void api
    .POST("/api/health/page-errors", {
      body: {
        message: message.slice(0, 2000),
        where: `${where}, ${location.pathname}`.slice(0, 400),
        stack: stack.slice(0, 8000),
      },
    })
    .catch(() => undefined);
}

/** What nobody caught. */
export function reportAll(): void {
  window.addEventListener("error", (event) => {
    // Not a failure: a size that changed while sizes were being looked at is told a frame later (Resize Observer, 3.4.5).
    if (!event.message.startsWith("ResizeObserver loop")) report(event.error ?? event.message, "the page");
  });
  window.addEventListener("unhandledrejection", (event) => report(event.reason, "the page"));
}
