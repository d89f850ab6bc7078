import "@fontsource-variable/atkinson-hyperlegible-mono";
import "@fontsource-variable/atkinson-hyperlegible-next";
import "@fontsource/b612/700.css";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { createBrowserRouter, RouterProvider } from "react-router";
import "uplot/dist/uPlot.min.css";
import { reportAll } from "./api/errors";
import { App } from "./App";
import { connection } from "./live/connection";

reportAll();
connection.start();

const queries = new QueryClient({ defaultOptions: { queries: { retry: 1, staleTime: 1000 } } });
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
