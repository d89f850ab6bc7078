import type { ReactElement } from "react";
import { createMemoryRouter, RouterProvider } from "react-router";

/** Within a router as the application has it: one that can be asked before a page is left. */
export function Routed({ at = "/", children }: { at?: string; children: ReactElement }) {
  return (
    <RouterProvider
      router={createMemoryRouter([{ path: "*", element: children }], { initialEntries: [at] })}
    />
  );
}
