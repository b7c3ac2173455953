// Measures what a press costs the page: its main thread's own time, on the demo's dense reel of 48 tracks: node benchhand.mjs ADDRESS
import { chromium as browserType } from "@playwright/test";

import { caller } from "./bench.mjs";
import { chromium } from "./chromium.mjs";

const [address] = process.argv.slice(2);
const call = caller(address);
const [production] = (await call("GET", "/productions")).filter((p) => p.name === "The Lantern Ferry");
const reel = (await call("GET", `/productions/${production.id}/reels`)).find((r) => r.name.startsWith("Reel 4"));

/** How often each is done, and how long all that it brings about is waited for, in milliseconds. */
const times = 20;
const settles = 300;

const browser = await browserType.launch(chromium);
const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
const page = await context.newPage();
await page.goto(`${address}/p/${production.id}/loom/${reel.id}`);
await page.locator(".time-area").waitFor();
await page.waitForTimeout(4000); // the core and the waveforms come
const devtools = await context.newCDPSession(page);
await devtools.send("Performance.enable");
const spent = async () => {
  const { metrics } = await devtools.send("Performance.getMetrics");
  return metrics.find((m) => m.name === "TaskDuration").value * 1000;
};
await page.evaluate(() => {
  window.longest = 0;
  new PerformanceObserver((l) => l.getEntries().forEach((e) => (window.longest = Math.max(window.longest, e.duration)))).observe({
    entryTypes: ["longtask"],
  });
});

async function press(name, once) {
  const cost = [];
  await page.evaluate(() => (window.longest = 0));
  for (let i = 0; i < times; i++) {
    const before = await spent();
    await once(i);
    await page.waitForTimeout(settles);
    cost.push((await spent()) - before);
  }
  cost.sort((a, b) => a - b);
  const longest = await page.evaluate(() => window.longest);
  const [median, most] = [cost[times >> 1], cost[Math.floor(times * 0.95)]].map((ms) => ms.toFixed(1));
  console.log(
    `main thread, ${name}: ${median} ms, 95th percentile ${most} ms (goal 8 and 16), longest task ${longest > 0 ? `${longest} ms` : "below 50 ms"}`,
  );
}

const area = await page.locator(".time-area").boundingBox();
const [x, y] = [area.x + 300, area.y + 150];
await page.mouse.move(x, y);
for (let i = 0; i < 4; i++) await page.keyboard.press("ArrowDown");
await page.waitForTimeout(500);
await press("to the next track", (i) => page.keyboard.press(i < times / 2 ? "ArrowDown" : "ArrowUp"));
await press("zoom", (i) => page.keyboard.press(i % 2 ? "q" : "e"));
await press("scroll through time", (i) => page.mouse.wheel(i % 2 ? -200 : 200, 0));
await press("scroll through the tracks", (i) => page.mouse.wheel(0, i % 2 ? -84 : 84));
await press("mute", () => page.keyboard.press("x"));
await press("undo", () => page.keyboard.press("Control+z"));
for (let i = 0; i < 6; i++) await page.keyboard.press("e");
await page.waitForTimeout(1500);
await page.keyboard.down("Control");
await page.mouse.down();
await page.keyboard.up("Control");
await page.mouse.move(x + 30, y);
await press("a move while a range is drawn", (i) => page.mouse.move(x + 40 + 3 * i, y));
await page.keyboard.press("Escape");
await page.mouse.up();
await browser.close();
