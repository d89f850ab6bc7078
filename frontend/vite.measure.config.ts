import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

/** The page that ./tidy measure drives: the Bench's own lanes, without a bench. */
export default defineConfig({
  root: "measure",
  plugins: [react()],
  build: { target: "es2022", chunkSizeWarningLimit: 900, emptyOutDir: true },
});
