import "@fontsource-variable/atkinson-hyperlegible-mono";
import "@fontsource-variable/atkinson-hyperlegible-next";
import "@fontsource/b612/700.css";
import { QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { createBrowserRouter, RouterProvider } from "react-router";
import "uplot/dist/uPlot.min.css";
import { reportAll } from "./api/errors";
import { queries } from "./api/queries";
import { App } from "./App";
import { connection } from "./live/connection";

/** Milliseconds of nothing that nobody notices. */
const WAITS_FOR_WORD = 150;

reportAll();
// The Bench draws the past: it is fetched as soon as the line stands.
if (location.pathname === "/") connection.wantPast();
// A page that knows what the bench shows is drawn once; one that does not know soon says that it is joining.
const told = Promise.race([
  connection.start(),
  new Promise((resolve) => setTimeout(resolve, WAITS_FOR_WORD)),
]);

// A router with data is what lets a page with unsaved changes be asked about.
const router = createBrowserRouter([{ path: "*", element: <App /> }]);
const root = document.getElementById("root");
if (root)
  void told.then(() =>
    createRoot(root).render(
      <StrictMode>
        <QueryClientProvider client={queries}>
          <RouterProvider router={router} />
        </QueryClientProvider>
      </StrictMode>,
    ),
  );
