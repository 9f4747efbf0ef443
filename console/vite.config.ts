import { readdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { gzipSync } from "node:zlib";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

const OUT = "../src/kiteroll/api/console_dist";

/** What nearly every page takes is one file: dozens of small ones take longer to ask for than to send. */
const EVERYWHERE =
  /src[\\/](api[\\/](?!resources[\\/](rules|inventory|acting|alerts|people))|shared[\\/](?!Confirm|FormDialog|LeaveGuard|Labelled|StayTable|DeviceLinks|RowActions)|(find|switches|findings|table)[\\/]model\.ts|(find[\\/]Endpoint|findings[\\/]Finding|switches[\\/]Change)Table|table[\\/]paged|people[\\/]drop)/;

/** Each asset also compressed as far as it goes: the service has better to do than that at every request. */
function compressed() {
  return {
    name: "compressed",
    closeBundle() {
      for (const name of readdirSync(join(OUT, "assets"))) {
        if (!/\.(js|css)$/.test(name)) continue;
        const file = join(OUT, "assets", name);
        writeFileSync(`${file}.gz`, gzipSync(readFileSync(file), { level: 9 }));
      }
    },
  };
}

// The build goes into the Python package: the service serves it, and nothing else has to run.
export default defineConfig({
  plugins: [react(), compressed()],
  build: {
    outDir: OUT,
    emptyOutDir: true,
    chunkSizeWarningLimit: 900,
    rolldownOptions: {
      output: {
        codeSplitting: { groups: [{ name: "parts", test: EVERYWHERE }] },
      },
    },
  },
  server: { proxy: { "/api": "http://127.0.0.1:8480" } },
  test: { environment: "jsdom", setupFiles: ["src/test-setup.ts"] },
});
