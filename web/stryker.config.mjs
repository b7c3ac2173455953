// Changes the logic of the page in every small way there is, and counts the changes that no test notices.
const all = process.env.MUTANTS === "all";

// What all else is counted by, each held to its own test, in ./loom test; all that neither draws nor talks to the server or to the browser in
// ./loom mutants. Scores are only ever raised.
const first = [
  "src/api/merge.ts",
  "src/rooms/loom/ground/choice.ts",
  "src/rooms/loom/ground/geometry.ts",
  "src/shell/programme.ts",
  "src/ui/timecode.ts",
];
const logic = [
  ...first,
  "src/api/follow.ts",
  "src/api/pending.ts",
  "src/draw/overview.ts",
  "src/listen/queue.ts",
  "src/rooms/gauge/judge.ts",
  "src/rooms/loom/ground/band.ts",
  "src/rooms/loom/ground/columns.ts",
  "src/rooms/loom/ground/curves.ts",
  "src/rooms/loom/acts/cutting.ts",
  "src/rooms/loom/ground/rows.ts",
  "src/rooms/loom/ground/snap.ts",
  "src/rooms/print/speccheck.ts",
  "src/rooms/print/specwords.ts",
  "src/rooms/sync/figures.ts",
  "src/rooms/takes/reading.ts",
  "src/ui/figures.ts",
  "src/ui/when.ts",
  "src/ui/words.ts",
];

// The tests run in a copy of the page.
process.env.LOOM_ROOT = new URL("..", import.meta.url).pathname.replace(/\/$/, "");
process.env.LOOM_TESTS = all ? "" : first.map((f) => f.replace(".ts", ".test.ts")).join();

export default {
  testRunner: "vitest",
  vitest: { related: false }, // which tests reach what is found out by running them
  coverageAnalysis: "perTest",
  ignoreStatic: true,
  mutate: all ? logic : first,
  thresholds: { high: 100, low: 90, break: all ? 60 : 97 },
  reporters: ["clear-text"],
  clearTextReporter: { allowColor: false, logTests: false, allowEmojis: false },
  tempDirName: ".stryker",
  concurrency: 2,
};
