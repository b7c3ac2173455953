// Measures a production of 500 takes in the browser, on a running demo: node benchtakes.mjs ADDRESS SCENARIO
import { mkdirSync, rmSync, writeFileSync } from "node:fs";
import { chromium as browserType } from "@playwright/test";

import { caller, measuring, tracksOf, takesOf } from "./bench.mjs";
import { chromium } from "./chromium.mjs";

const [address, scenario] = process.argv.slice(2);
const call = caller(address);
const count = 500;
const seconds = 3;
const folder = `${scenario}/library/benchmark`;

/** A mono WAVE file, 16 bit at 48 kHz: noise in bursts, of another loudness in each take. */
function recording(n) {
  const frames = seconds * 48000;
  const file = Buffer.alloc(44 + frames * 2);
  file.write("RIFF", 0);
  file.writeUInt32LE(36 + frames * 2, 4);
  file.write("WAVEfmt ", 8);
  [16, 1 | (1 << 16), 48000, 96000, 2 | (16 << 16)].forEach((v, i) => file.writeUInt32LE(v, 16 + 4 * i));
  file.write("data", 36);
  file.writeUInt32LE(frames * 2, 40);
  let seed = n + 1;
  for (let i = 0; i < frames; i++) {
    seed = (seed * 1103515245 + 12345) & 0x7fffffff;
    const loud = (i >> 13) % 3 === n % 3 ? 6000 + 20 * n : 300;
    file.writeInt16LE(Math.round((seed / 0x40000000 - 1) * loud), 44 + 2 * i);
  }
  return file;
}

const names = Array.from({ length: count }, (_, i) => `Take ${String(i + 1).padStart(3, "0")}.wav`);
mkdirSync(folder, { recursive: true });
names.forEach((name, i) => writeFileSync(`${folder}/${name}`, recording(i)));
const production = await call("POST", "/productions", {
  name: "The Lantern Ferry, 500 takes",
  frameRate: { num: 25, den: 1, drop: false },
});
try {
  let began = Date.now();
  await call("POST", `/productions/${production.id}/imports`, { card: "Sound library", paths: names.map((n) => `benchmark/${n}`) });
  let takes = [];
  while (takes.length < count) {
    await new Promise((r) => setTimeout(r, 500));
    takes = await takesOf(call, production.id);
  }
  console.log(`bringing in ${count} takes of ${seconds} s: ${((Date.now() - began) / 1000).toFixed(0)} s`);
  const reel = await call("POST", `/productions/${production.id}/reels`, { name: "All takes", start: "10:00:00:00" });
  const tracks = tracksOf(20);
  const clips = takes.map((t, i) => ({
    id: `${i}`,
    track: `n${i % tracks.length}`,
    take: t.id,
    name: t.fileName,
    channels: [0],
    start: reel.head.start + Math.floor(i / tracks.length) * (seconds + 1) * 48000,
    offset: 0,
    length: seconds * 48000,
    tie: "",
    frames: seconds * 48000,
    gainDB: 0,
  }));
  await call("POST", `/reels/${reel.id}/commands`, { revision: reel.revision, kind: "pasteClips", command: { clips, tracks } });

  const browser = await browserType.launch(chromium);
  const page = await browser.newPage({ viewport: { width: 1920, height: 1080 } });
  const { frames, wheel, inTime } = measuring(page);
  let asked = new Map();
  page.on("request", (r) => r.url().includes("/waveform?") && asked.set(r.url(), (asked.get(r.url()) ?? 0) + 1));
  const fetches = (what) => {
    const all = [...asked.values()];
    console.log(`${what}: ${all.length} pieces of waveforms fetched, ${all.filter((n) => n > 1).length} of them again`);
    asked = new Map();
  };

  began = Date.now();
  await page.goto(`${address}/p/${production.id}/takes`);
  await page.getByRole("listbox", { name: "Takes" }).getByRole("option").first().waitFor();
  console.log(`opening Takes, from loading the application on: ${Date.now() - began} ms`);
  const list = await page.getByRole("listbox", { name: "Takes" }).boundingBox();
  await page.mouse.move(list.x + 100, list.y + 200);
  await frames("scrolling through the list of takes", async () => {
    await wheel(80, 0, 200);
    await wheel(80, 0, -200);
  });
  await page.getByRole("listbox", { name: "Takes" }).getByRole("option").first().click();
  await frames("going from take to take by key", async () => {
    for (let i = 0; i < 60; i++) await page.keyboard.press("ArrowDown");
  });

  await page.goto(`${address}/p/${production.id}/loom/${reel.id}`);
  asked = new Map();
  began = Date.now();
  await page.reload();
  await page.getByRole("group", { name: "Track Track 1", exact: true }).waitFor();
  console.log(`opening a reel of ${count} clips of as many takes: ${Date.now() - began} ms`);
  await page.keyboard.press("Shift+F"); // all rows, so that every clip is in view
  await page.waitForTimeout(4000);
  const area = await page.locator(".time-area").boundingBox();
  await page.mouse.move(area.x + area.width / 2, area.y + 200);
  await frames("looking at all of them", () => page.waitForTimeout(2000));
  fetches("all in view");
  await inTime();
  fetches("zoomed and scrolled");
  await browser.close();
} finally {
  await call("DELETE", `/productions/${production.id}`);
  rmSync(folder, { recursive: true });
}
process.exit();
