// A second server on the same database and media as the one that all tests have, which a test may kill.
import { spawn, type ChildProcess } from "node:child_process";
import { existsSync, readFileSync, rmSync } from "node:fs";

import { scenario } from "./rooms";
import { expect } from "./test";

const data = process.env.E2E_DATA ?? "../.run/e2e";

// It does queued work too, so it has the same cards.
const cards = { "Recorder card LF03": "card", "Recorder card B02": "second", "Camera card A003": "camera", "Sound library": "library" };

/** Starts one; it is known by a name of the test's own. */
export async function start(address: string, name: string): Promise<{ server: ChildProcess; url: string }> {
  await expect.poll(() => existsSync(`${data}.ready`), { timeout: 120_000 }).toBe(true); // the demo is being laid out
  const ready = `${data}/${name}.ready`;
  rmSync(ready, { force: true });
  const all = Object.entries(cards).flatMap(([card, folder]) => ["--card", `${card}=${scenario}/${folder}`]);
  const server = spawn("../bin/zestyloom", ["serve", "--address", address, "--data", data, "--ready", ready, ...all], {
    stdio: ["ignore", "ignore", "inherit"],
  });
  await expect.poll(() => existsSync(ready) && readFileSync(ready, "utf8").trim(), { timeout: 30_000 }).toMatch(/^http/);
  return { server, url: readFileSync(ready, "utf8").trim() };
}

export async function killed(server: ChildProcess) {
  if (server.exitCode !== null || server.signalCode !== null) return;
  const gone = new Promise((done) => server.once("exit", done));
  server.kill("SIGKILL");
  await gone;
}
