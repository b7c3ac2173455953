// An hour's use of every room, or as many minutes as are told, and what memory it takes: node use.mjs ADDRESS [MINUTES]
import { chromium as browserType } from "@playwright/test";

import { chromium } from "./chromium.mjs";

const [address, minutes = "60"] = process.argv.slice(2);
const get = async (path) => (await fetch(`${address}/api/v1${path}`)).json();
const production = (await get("/productions")).find((p) => p.name === "The Lantern Ferry").id;
const reel = (await get(`/productions/${production}/reels`)).find((r) => r.name.startsWith("Reel 1")).id;

const browser = await browserType.launch(chromium);
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
const wrong = [];
page.on("pageerror", (e) => wrong.push(e.message));
page.on("console", (m) => m.type() === "error" && wrong.push(m.text()));
const cdp = await page.context().newCDPSession(page);
await cdp.send("Performance.enable");

/** What the page holds after its garbage is collected: MB of JavaScript, elements, listeners. */
async function held() {
  await cdp.send("HeapProfiler.collectGarbage");
  await cdp.send("HeapProfiler.collectGarbage");
  const { metrics } = await cdp.send("Performance.getMetrics");
  const of = (name) => metrics.find((m) => m.name === name).value;
  return { heap: of("JSHeapUsedSize") / 2 ** 20, nodes: of("Nodes"), listeners: of("JSEventListeners") };
}

const room = (name) => page.getByRole("navigation", { name: "Rooms" }).getByRole("link", { name, exact: true }).click();
const press = async (...keys) => {
  for (const k of keys) {
    await page.keyboard.press(k);
    await page.waitForTimeout(120);
  }
};
const wheel = async (times, dx, dy, key) => {
  if (key) await page.keyboard.down(key);
  for (let i = 0; i < times; i++) await page.mouse.wheel(dx, dy);
  if (key) await page.keyboard.up(key);
};
let turn = 0;

/** Once through the work of an editor: takes looked at and heard, matches, cutting with undo, routing, measuring, the plan of a print. */
async function once() {
  turn++;
  await room("Takes");
  const options = page.getByRole("listbox", { name: "Takes" }).getByRole("option");
  await options.first().waitFor();
  await options.nth(turn % (await options.count())).click();
  await page.waitForTimeout(400);
  await press("Space");
  await page.waitForTimeout(1200);
  await press("Space");
  await room("Sync");
  await page
    .getByRole("listbox")
    .getByRole("option")
    .nth(turn % 5)
    .click();
  await page.waitForTimeout(400);
  await room("Loom");
  await page.getByRole("group", { name: "Tracks" }).waitFor();
  const area = await page.locator(".time-area").boundingBox();
  await page.mouse.move(area.x + 500, area.y + 150);
  await wheel(12, 0, -60, "Control");
  await wheel(20, 40, 0);
  await page.getByRole("group", { name: "Track Ines lav", exact: true }).click();
  await press("Space");
  await page.waitForTimeout(2500);
  await press("Space");
  const mute = page.getByRole("group", { name: "Track Boom", exact: true }).getByRole("button", { name: /^Mute/ });
  // No handle of an element is kept: it would hold the room that it was in.
  const muted = (on) => mute.and(page.locator(`[aria-pressed=${on}]`)).waitFor();
  await mute.click();
  await muted(true);
  await press("Control+z");
  await muted(false);
  await press("Control+k");
  const commands = page.getByRole("dialog", { name: "Commands" });
  await commands.waitFor();
  await press("Escape");
  await commands.waitFor({ state: "hidden" });
  await wheel(12, 0, 60, "Control");
  const weave = await page.getByRole("grid", { name: "The weave", exact: true }).boundingBox();
  await page.mouse.move(weave.x + 100, weave.y + 150);
  await wheel(10, 0, 40);
  await wheel(10, 0, -40);
  await room("Gauge");
  await page.getByRole("complementary", { name: "Figures" }).getByText("Integrated").waitFor({ timeout: 60_000 });
  await room("Print");
  await page
    .getByRole("button", { name: /^Print / })
    .first()
    .waitFor();
}

await page.goto(`${address}/p/${production}/loom/${reel}`);
await page.getByRole("group", { name: "Tracks" }).waitFor();
for (let i = 0; i < 3; i++) await once(); // what is kept on purpose is there after this
const first = await held();
const until = Date.now() + Number(minutes) * 60_000;
let due = Date.now() + 5 * 60_000;
const line = (name, h) => console.log(`${name}: ${h.heap.toFixed(1)} MB of JavaScript, ${h.nodes} nodes, ${h.listeners} listeners`);
line("after three turns", first);
while (Date.now() < until) {
  await once();
  if (Date.now() < due) continue;
  due += 5 * 60_000;
  line(`after ${turn} turns`, await held());
}
line(`after ${turn} turns, ${minutes} minutes`, await held());
if (wrong.length) console.log(`errors in the page: ${[...new Set(wrong)].join("; ")}`);
await browser.close();
process.exit(wrong.length ? 1 : 0);
