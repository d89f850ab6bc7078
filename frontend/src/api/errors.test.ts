import { expect, it } from "vitest";
import { serve } from "../fixtures.test-setup";
import { reportAll } from "./errors";

it("tells the server what failed in the page, and not that a size is told a frame later", () => {
  const { sent } = serve({ "POST /api/health/page-errors": { status: 204, body: null } });
  reportAll();
  const fail = (message: string): boolean => window.dispatchEvent(new ErrorEvent("error", { message }));
  fail("ResizeObserver loop completed with undelivered notifications.");
  fail("x is not a function");
  return expect
    .poll(() => sent)
    .toEqual([{ message: "x is not a function", where: "the page, /", stack: "" }]);
});
