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

reportAll();
connection.start();

// A router with data is what lets a page with unsaved changes be asked about.
const router = createBrowserRouter([{ path: "*", element: <App /> }]);
const root = document.getElementById("root");
if (root)
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={queries}>
        <RouterProvider router={router} />
      </QueryClientProvider>
    </StrictMode>,
  );
