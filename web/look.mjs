// node look.mjs REEL LIGHT W H OUT 'js steps'
import { chromium as browserType } from "@playwright/test";
import { chromium } from "../e2e/chromium.mjs";
const [n, light, w, h, out, steps] = process.argv.slice(2);
const address = "http://127.0.0.1:7420";
const get = async (path) => (await fetch(`${address}/api/v1${path}`)).json();
const production = (await get("/productions")).find((p) => p.name === "The Lantern Ferry");
const reels = await get(`/productions/${production.id}/reels`);
const browser = await browserType.launch(chromium);
const page = await browser.newPage({ viewport: { width: +w, height: +h } });
page.on("pageerror", (e) => console.log("ERROR", e.message));
page.on("console", (m) => m.type() === "error" && console.log("CONSOLE", m.text()));
await page.addInitScript((l) => localStorage.setItem("loom.light", l), light);
await page.goto(`${address}/p/${production.id}/loom/${reels[+n].id}`);
await page.waitForTimeout(1800);
if (steps) await eval(`(async () => { ${steps} })()`);
await page.waitForTimeout(500);
await page.screenshot({ path: out });
await browser.close();
