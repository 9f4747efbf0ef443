import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

// The build goes into the Python package: the service serves it, and nothing else has to run.
export default defineConfig({
  plugins: [react()],
  build: { outDir: "../src/kiteroll/api/console_dist", emptyOutDir: true, chunkSizeWarningLimit: 900 },
  server: { proxy: { "/api": "http://127.0.0.1:8480" } },
  test: { environment: "jsdom", setupFiles: ["src/test-setup.ts"] },
});
