import react from "@vitejs/plugin-react";
import type { HttpProxy } from "vite";
import { defineConfig } from "vitest/config";

/** The web server lets in who has its token, and pages that come from it alone: here that is this proxy. */
function letIn(proxy: HttpProxy.ProxyServer): void {
  const web = process.env.TIDY_WEB ?? "http://127.0.0.1:8470";
  const sign = (request: { setHeader(name: string, value: string): void }): void => {
    request.setHeader("authorization", `Bearer ${process.env.TIDY_TOKEN ?? ""}`);
    request.setHeader("origin", web);
  };
  proxy.on("proxyReq", sign);
  proxy.on("proxyReqWs", sign);
}

interface Modules {
  getModuleInfo(id: string): { isEntry: boolean; importers: readonly string[] } | null;
}

/** Whether a module of ours comes with the first page: its entry needs it before anything is opened. */
function atFirst(id: string, modules: Modules, seen = new Set<string>()): boolean {
  if (seen.has(id)) return false;
  seen.add(id);
  const info = modules.getModuleInfo(id);
  return info !== null && (info.isEntry || info.importers.some((one) => atFirst(one, modules, seen)));
}

export default defineConfig({
  plugins: [react()],
  // The pages are part of the Python package: a wheel has them.
  build: {
    target: "es2022",
    chunkSizeWarningLimit: 900,
    outDir: "../src/tidybench/front_end",
    emptyOutDir: true,
    // The first page in one file: a dozen small ones wait for each other.
    rolldownOptions: {
      output: {
        codeSplitting: {
          groups: [
            {
              name: (id: string, modules: Modules) =>
                id.includes("/src/") && atFirst(id, modules) ? "first" : null,
            },
          ],
        },
      },
    },
  },
  server: {
    host: "127.0.0.1",
    port: 5173,
    strictPort: true,
    // ./tidy dev says where the web server is, and how to get in.
    proxy: {
      "/api": {
        target: process.env.TIDY_WEB ?? "http://127.0.0.1:8470",
        ws: true,
        changeOrigin: true,
        configure: letIn,
      },
    },
  },
  test: {
    environment: "jsdom",
    // Typing key by key takes its time on a busy machine.
    testTimeout: 30_000,
    include: ["src/**/*.test.{ts,tsx}"],
    setupFiles: ["src/browser.test-setup.ts"],
  },
});
