import { defineConfig } from "@playwright/test";

import { chromium } from "./chromium.mjs";

// ./loom e2e gives each run a database, a folder and a port of its own.
const port = process.env.E2E_PORT ?? "7499";
const data = process.env.E2E_DATA ?? "../.run/e2e";

export default defineConfig({
  testDir: ".",
  outputDir: "results",
  timeout: 240_000,
  expect: { timeout: 30_000 },
  workers: 1,
  reporter: [["list"]],
  use: {
    actionTimeout: 60_000,
    baseURL: `http://127.0.0.1:${port}`,
    viewport: { width: 1280, height: 800 },
    launchOptions: chromium,
    colorScheme: "light",
    // A trace takes a picture of the page at each step, which costs a third of the time: it is asked for.
    trace: process.env.E2E_TRACE ? "retain-on-failure" : "off",
    screenshot: "only-on-failure",
  },
  webServer: {
    command: `../bin/zestyloom demo --address 127.0.0.1:${port} --data ${data} --ready ${data}.ready`,
    url: `http://127.0.0.1:${port}/readyz`,
    timeout: 300_000,
    stderr: "pipe",
    gracefulShutdown: { signal: "SIGTERM", timeout: 10_000 },
  },
});
