// Changes the page's logic in every small way there is, and counts the changes that no test notices.
process.env.LOOM_ROOT = new URL("..", import.meta.url).pathname.replace(/\/$/, "");

export default {
  testRunner: "vitest",
  coverageAnalysis: "perTest",
  mutate: [
    "src/**/*.ts",
    "!src/**/*.test.ts",
    "!src/**/*.gen.ts",
    "!src/**/*.worker.ts",
    "!src/**/*paint.ts",
    "!src/api/client.ts",
    "!src/api/hooks.ts",
    "!src/listen/worklet.ts",
  ],
  ignoreStatic: true,
  reporters: ["clear-text", "json", "progress-append-only"],
  clearTextReporter: { allowColor: false, logTests: false, allowEmojis: false },
  jsonReporter: { fileName: "/tmp/mut.json" },
  tempDirName: "/tmp/stryker-tmp",
  concurrency: 2,
  vitest: { related: false },
};
