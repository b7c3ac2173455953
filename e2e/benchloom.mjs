// Measures the Loom in the browser with a reel of 64 tracks and 5,000 clips, on a running demo: node benchloom.mjs ADDRESS
import { chromium as browserType } from "@playwright/test";

import { caller, loading, measuring, tracksOf, takesOf } from "./bench.mjs";
import { chromium } from "./chromium.mjs";

const [address] = process.argv.slice(2);
const call = caller(address);

const [production] = (await call("GET", "/productions")).filter((p) => p.name === "The Lantern Ferry");
const takes = await takesOf(call, production.id);
const take = takes.find((t) => t.description.scene === "12A" && t.description.take === "3");
const reel = await call("POST", `/productions/${production.id}/reels`, { name: "Benchmark", start: "10:00:00:00" });
let view;
try {
  const tracks = tracksOf(64);
  const each = Math.floor((3600 * 48000) / 80);
  const clips = Array.from({ length: 5000 }, (_, i) => ({
    id: `${i}`,
    track: `n${i % 64}`,
    take: take.id,
    name: `Clip ${i}`,
    channels: [2 + (i % 4)],
    start: reel.head.start + Math.floor(i / 64) * each,
    offset: (i * 7919) % 96000,
    length: 16 * 48000,
    tie: "",
    frames: take.description.frames,
    gainDB: 0,
    fadeIn: { length: 4800 },
    fadeOut: { length: 9600, curve: "power" },
    lanes: i % 4 ? undefined : [{ hushes: [{ from: 200000, to: 210000 }] }],
  }));
  const body = { revision: reel.revision, kind: "pasteClips", command: { clips, tracks } };
  view = await call("POST", `/reels/${reel.id}/commands`, body);
  const step = async (kind, command) =>
    (view = await call("POST", `/reels/${reel.id}/commands`, { revision: view.revision, kind, command }));
  const wide = ["L", "R", "C", "LFE", "Lss", "Rss", "Lrs", "Rrs"];
  for (const stem of view.stems) await step("setStem", { stem: stem.id, labels: wide, yes: true });
  for (let i = 1; i <= 8; i++) {
    await step("setMix", { name: `Mix ${i}`, labels: wide, rest: true });
    await step("setGroup", { name: `Mix ${i} 7.1`, layout: "7.1", feed: { row: "mix", from: view.mixes.at(-1).id } });
  }

  const browser = await browserType.launch(chromium);
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  page.on("crash", () => console.log("the page crashed"));
  const shown = async () => {
    await page.getByRole("group", { name: "Track Track 1", exact: true }).waitFor();
    await page.evaluate(() => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done))));
  };
  const path = `/p/${production.id}/loom/${reel.id}`;
  const fresh = await (await browser.newContext()).newPage();
  await loading(fresh, "the first page", address, fresh.getByRole("link", { name: /^The Lantern Ferry(?!,)/ }));
  await fresh.context().close();
  const reels = await call("GET", `/productions/${production.id}/reels`);
  const first = await (await browser.newContext()).newPage();
  const loom = `${address}/p/${production.id}/loom/${reels.find((r) => r.name.startsWith("Reel 1")).id}`;
  await loading(first, "the Loom with the demo's first reel", loom, first.getByRole("group", { name: "Tracks" }));
  await first.context().close();
  let began = Date.now();
  await page.goto(address + path);
  await shown();
  console.log(`opening a reel of 5,000 clips, from loading the application on: ${Date.now() - began} ms`);
  await page.getByRole("navigation", { name: "Rooms" }).getByRole("link", { name: "Takes" }).click();
  await page.reload(); // nothing of the reel is in memory
  await page.getByRole("listbox", { name: "Takes" }).waitFor();
  await page.waitForTimeout(1500);
  began = Date.now();
  await page.evaluate((to) => (history.pushState({}, "", to), dispatchEvent(new PopStateEvent("popstate"))), path);
  await shown();
  console.log(`opening it from another room: ${Date.now() - began} ms`);
  await page.waitForTimeout(3000); // its waveforms come

  const { frames, wheel, inTime } = measuring(page);
  const area = await page.locator(".time-area").boundingBox();
  await page.mouse.move(area.x + 300, area.y + 150);
  await frames("still", () => page.waitForTimeout(1500));
  await frames("scrolling through the tracks", async () => {
    await wheel(60, 0, 40);
    await wheel(60, 0, -40);
  });
  await inTime();
  await frames("scrolling through the weave", async () => {
    const weave = await page.getByRole("grid", { name: "The weave", exact: true }).boundingBox();
    await page.mouse.move(weave.x + 200, weave.y + 150);
    await wheel(80, 40, 0);
    await wheel(60, 0, 40);
    await wheel(80, -40, 0);
    await wheel(60, 0, -40);
  });
  // From the press to the first frame that has the knot: what is painted follows at once from the edit that is under way.
  const knots = [];
  const known = [];
  for (let i = 0; i < 12; i++) {
    const weave = await page.getByRole("grid", { name: "The weave", exact: true }).boundingBox();
    const x = weave.x + 33 + 30 * (3 + (i % 4));
    const y = weave.y + 21 + 42 * (i % 7);
    await page.mouse.move(x, y);
    await page.evaluate(() => {
      window.pressed = 0;
      window.shown = 0;
      window.addEventListener("pointerup", () => (window.pressed = performance.now()), { once: true, capture: true });
      const watch = () => {
        const cell = [...document.querySelectorAll("[role=gridcell][tabindex='0']")][0];
        if (window.pressed && cell?.getAttribute("aria-label")?.includes("knot at")) window.shown = performance.now();
        else requestAnimationFrame(watch);
      };
      requestAnimationFrame(watch);
    });
    const answer = page.waitForResponse((r) => /\/(ties|commands)\?/.test(r.url()));
    const before = Date.now();
    await page.mouse.down();
    await page.mouse.up();
    const reached = await page.evaluate(() => document.querySelector("[role=dialog]") !== null);
    if (reached) await page.getByRole("button", { name: "Set a knot here for this row alone" }).click();
    await answer;
    known.push(Date.now() - before);
    await page.waitForFunction(() => window.shown > 0, undefined, { timeout: 3000 }).catch(() => null);
    if (!reached) knots.push(await page.evaluate(() => window.shown - window.pressed));
    await page.waitForTimeout(150);
  }
  knots.sort((a, b) => a - b);
  known.sort((a, b) => a - b);
  if (knots.length)
    console.log(
      [
        `from the press to the knot on the screen: median ${knots[knots.length >> 1].toFixed(0)} ms`,
        `longest ${knots.at(-1).toFixed(0)} ms (${knots.length} knots)`,
        `confirmed by the server within ${known.at(-1)} ms, the card's press included`,
      ].join("; "),
    );
  // The shuttle moves by what the sound card has been given, so its first movement comes right after the first sound.
  const waits = [];
  for (let i = 0; i < 8; i++) {
    waits.push(
      await page.evaluate(
        () =>
          new Promise((done) => {
            const line = document.querySelector(".time-area span[aria-hidden]");
            const before = line.style.transform;
            const pressed = performance.now();
            const watch = new MutationObserver(() => {
              if (line.style.transform === before) return;
              watch.disconnect();
              done(performance.now() - pressed);
            });
            watch.observe(line, { attributes: true, attributeFilter: ["style"] });
            window.dispatchEvent(new KeyboardEvent("keydown", { key: " ", bubbles: true }));
          }),
      ),
    );
    await page.waitForTimeout(300);
    await page.keyboard.press("Space");
    await page.waitForTimeout(300);
  }
  waits.sort((a, b) => a - b);
  console.log(`from the key to the first movement of the shuttle: median ${waits[4].toFixed(0)} ms, longest ${waits[7].toFixed(0)} ms`);
  await page.getByRole("button", { name: "Play", exact: true }).click();
  await frames("playing", () => page.waitForTimeout(3000));
  await frames("playing and scrolling", async () => {
    await wheel(60, 0, 40);
    await wheel(60, 0, -40);
  });
  await browser.close();
} finally {
  await call("DELETE", `/reels/${reel.id}`);
}
process.exit();
