import { mkdtempSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { defineConfig } from "@playwright/test";

// One server on a data folder of its own; Debian's Chromium, no browser of Playwright's own.
const port = process.env.MASCHERA_PORT ?? "5097";
process.env.MASCHERA_DATA ??= mkdtempSync(join(tmpdir(), "maschera-"));
export default defineConfig({
  testDir: ".",
  workers: 1,
  timeout: 120_000,
  expect: { timeout: 15_000 },
  reporter: [["line"], ["json", { outputFile: "test-results/results.json" }]],
  use: {
    baseURL: `http://127.0.0.1:${port}`,
    viewport: { width: 1280, height: 800 },
    launchOptions: {
      executablePath: process.env.CHROMIUM ?? "/usr/bin/chromium",
      args: [
        "--no-sandbox",
        "--disable-gpu",
        "--disable-quic",
        "--no-first-run",
        "--disable-background-networking",
        "--disable-component-update",
        "--disable-sync",
      ],
    },
  },
  webServer: {
    command: `../../maschera demo --fresh --port ${port} --data "${process.env.MASCHERA_DATA}"`,
    url: `http://127.0.0.1:${port}/`,
    timeout: 600_000,
  },
});
