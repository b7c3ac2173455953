// Takes the pictures in docs/screenshots from a running demo: node shots.mjs ADDRESS FOLDER SCENARIO
import { mkdirSync } from "node:fs";
import { chromium as browserType } from "@playwright/test";

import { chromium } from "./chromium.mjs";

const [address, folder, scenario] = process.argv.slice(2);
mkdirSync(folder, { recursive: true });
const browser = await browserType.launch(chromium);

async function open(light, width, height) {
  const page = await browser.newPage({ viewport: { width, height } });
  await page.addInitScript((l) => localStorage.setItem("loom.light", l), light);
  return page;
}

const get = async (path) => (await fetch(`${address}/api/v1${path}`)).json();
const [production] = (await get("/productions")).filter((p) => p.name === "The Lantern Ferry");
const [reel, surround, , dense] = await get(`/productions/${production.id}/reels`);
const { takes } = await get(`/productions/${production.id}/takes?limit=60`);
const take = takes.find((t) => t.description.scene === "12A" && t.description.take === "3");
let prints = await get(`/reels/${reel.id}/prints`);
if (!prints.some((p) => p.passed !== null)) {
  await fetch(`${address}/api/v1/reels/${reel.id}/prints`, { method: "POST", headers: { "Content-Type": "application/json" }, body: "{}" });
  for (let i = 0; i < 300 && !prints.some((p) => p.passed !== null); i++) {
    await new Promise((r) => setTimeout(r, 200));
    prints = await get(`/reels/${reel.id}/prints`);
  }
}
const print = prints.find((p) => p.passed !== null);
// Sync is shown with takes that have found their movies.
const cameras = takes.filter((t) => t.kind === "camera").map((t) => t.id);
const recordings = takes.filter((t) => t.kind === "recording" && t.description.scene).map((t) => t.id);
let matches = await get(`/productions/${production.id}/matches`);
if (matches.length === 0) {
  await fetch(`${address}/api/v1/productions/${production.id}/sync`, {
    method: "POST",
    headers: { "Content-Type": "application/json" },
    body: JSON.stringify({ takes: recordings, references: cameras, method: "waveform" }),
  });
  for (let i = 0; i < 600 && matches.length < recordings.length; i++) {
    await new Promise((r) => setTimeout(r, 300));
    matches = await get(`/productions/${production.id}/matches`);
  }
}
const group = takes.find((t) => t.description.scene === "18C" && t.description.take === "1");
const base = `${address}/p/${production.id}`;

/** Takes a delivery to the desk in which the sides of the music are changed over. */
async function broken() {
  const known = (await get(`/productions/${production.id}/receipts`)).find((r) => r.name === "From the mixer" && r.passed !== null);
  if (known) return known.id;
  const form = new FormData();
  let split = (await get(`/reels/${reel.id}/prints`)).find((p) => p.report && p.plan.packaging === "per-group");
  if (!split) {
    split = await (
      await fetch(`${address}/api/v1/reels/${reel.id}/prints`, {
        method: "POST",
        headers: { "Content-Type": "application/json" },
        body: JSON.stringify({ packaging: "per-group" }),
      })
    ).json();
    while (!split.report) {
      await new Promise((r) => setTimeout(r, 300));
      split = await get(`/prints/${split.id}`);
    }
  }
  for (const { name } of split.report.files) {
    const file = Buffer.from(await (await fetch(`${address}/api/v1/prints/${split.id}/files/${name}`)).arrayBuffer());
    const was = Buffer.from(file);
    if (name.includes("_MX_"))
      for (let i = file.indexOf("data") + 8; i + 6 <= file.length; i += 6)
        was.copy(file, i, i + 3, i + 6) && was.copy(file, i + 3, i, i + 3);
    form.append("file", new Blob([file]), name);
  }
  let r = await (
    await fetch(`${address}/api/v1/productions/${production.id}/receipts?spec=${split.plan.spec.id}&name=From%20the%20mixer`, {
      method: "POST",
      body: form,
    })
  ).json();
  while (!r.receipt) {
    await new Promise((done) => setTimeout(done, 300));
    r = await get(`/receipts/${r.id}`);
  }
  return r.id;
}

async function shot(name, light, url, prepare, width = 1280, height = 800) {
  const page = await open(light, width, height);
  await page.goto(url);
  await page.waitForTimeout(1500); // the network is never idle while a reel is watched
  await page.evaluate(() => document.fonts.ready);
  await prepare?.(page);
  await page.waitForTimeout(700);
  await page.screenshot({ path: `${folder}/${name}.png` });
  await page.close();
}

const goTo = async (page, timecode) => {
  await page.getByRole("button", { name: /^Position/ }).click();
  await page.getByLabel("Go to timecode").fill(timecode);
  await page.keyboard.press("Enter");
};
const choose = async (page, track, timecode) => {
  await goTo(page, timecode);
  await page.getByRole("group", { name: `Track ${track}`, exact: true }).click();
  await page.keyboard.press("Shift+W");
};
const range = async (page, from, to) => {
  await goTo(page, from);
  await page.keyboard.press("1");
  await goTo(page, to);
  await page.keyboard.press("2");
};
const channels = async (page) => {
  await page.keyboard.press("p");
  await choose(page, "18C deck", "10:01:36:00");
  await page.keyboard.press("Shift+R");
  await page.keyboard.press("Shift+R");
  for (let i = 0; i < 3; i++) await page.keyboard.press("e");
  await range(page, "10:01:38:00", "10:01:40:00");
};
const borrowing = async (page) => {
  await page.getByRole("button", { name: "Put the picture at the side" }).click();
  await choose(page, "Ines lav", "10:00:44:00");
  await range(page, "10:00:43:00", "10:00:46:00");
  await page.keyboard.press("z");
  await page.getByRole("group", { name: /^From/ }).first().waitFor();
};
/** What a voice goes through, on the reel of the pictures alone: taken last. */
const chain = async (page) => {
  const view = await get(`/reels/${reel.id}`);
  const steps = [
    { id: "1", kind: "high-pass", values: { frequency: 80, slope: 24 } },
    { id: "2", kind: "hum" },
    { id: "3", kind: "bell", values: { frequency: 320, gain: -4, q: 1.2 } },
    { id: "4", kind: "compressor", values: { threshold: -24, ratio: 3 } },
    { id: "5", kind: "de-esser", off: true },
  ];
  const command = { row: "track", from: view.tracks.find((t) => t.name === "Ines lav").id, steps };
  await fetch(`${address}/api/v1/reels/${reel.id}/commands`, {
    method: "POST",
    headers: { "Content-Type": "application/json" },
    body: JSON.stringify({ revision: view.revision, kind: "setChain", command }),
  });
  await page.getByRole("button", { name: "board", exact: true }).click();
  await goTo(page, "10:00:40:20");
  await page
    .getByRole("button", { name: /^Chain of Ines lav/ })
    .first()
    .click();
  await page.getByRole("button", { name: /^Bell: 320 Hz/ }).focus();
  await page.waitForTimeout(1500);
  await page.getByRole("button", { name: "Play", exact: true }).click();
  await page.waitForTimeout(3500);
};
const cutList = async (page) => {
  await page.getByRole("button", { name: /; others$/ }).click();
  await page.getByRole("menuitem", { name: "Cut list of this reel…" }).click();
  await page.getByLabel("Cut list file").setInputFiles(`${scenario}/cut lists/Picture cut v4.edl`);
  await page.getByText("What changes").waitFor();
};

const playing = async (page) => {
  await goTo(page, "10:00:34:10");
  await page.getByRole("group", { name: "Track Ines lav", exact: true }).click();
  await page.getByRole("button", { name: "Play", exact: true }).click();
  await page.waitForTimeout(1500);
};

const weave = async (page) => {
  await page.keyboard.press("i");
  await page.getByRole("tab", { name: "Weave" }).click();
  await page.getByRole("complementary", { name: "Lists" }).getByText("Output groups").scrollIntoViewIfNeeded();
  await page.getByRole("group", { name: "Track Bell", exact: true }).click();
};

/** All tracks fitted into the room, what is chosen at its side, and the picture put away. */
const fitted = (track) => async (page) => {
  await page.keyboard.press("p");
  await page.keyboard.press("Shift+I");
  await page.keyboard.press("Shift+F");
  await page.getByRole("group", { name: `Track ${track}`, exact: true }).click();
  await page.waitForTimeout(1200);
};

const only = process.env.SHOTS?.split(",");
const all = {
  takes: () => shot("takes", "day", `${base}/takes/${take.id}`),
  "takes-laying": () =>
    shot("takes-laying", "day", `${base}/takes`, async (p) => {
      const list = p.getByRole("listbox", { name: "Takes" });
      await list.getByRole("option", { name: /12A.*take 1/ }).click();
      await list.getByRole("option", { name: /12B.*take 1/ }).click({ modifiers: ["Shift"] });
      await list.getByRole("option", { name: /Picture cut/ }).click({ modifiers: ["Control"] });
      await p.getByLabel("Reel to lay them onto").selectOption("new");
      await p.getByRole("button", { name: /^Lay \d+ takes/ }).click();
      const place = p.getByLabel("Place of 12A/2");
      await place.fill("14:00:00:00");
      await place.press("Enter");
      await p.getByText(/from all else on the reel/).waitFor();
    }),
  "takes-group": () =>
    shot("takes-group", "day", `${base}/takes/${group.id}`, (p) => p.getByRole("button", { name: "Why, and which files" }).click()),
  stems: () =>
    shot("stems", "day", `${base}/takes`, async (p) => {
      await p.getByRole("button", { name: "For all takes: sound report, stems and rules" }).click();
      await p.getByRole("menuitem", { name: "Stems, strands and rules…" }).click();
    }),
  sync: () => shot("sync", "day", `${base}/sync/${take.id}`, (p) => p.waitForTimeout(1000)),
  loom: () => shot("loom", "day", `${base}/loom/${reel.id}`, playing),
  "loom-night": () => shot("loom-night", "night", `${base}/loom/${dense.id}`, fitted("Boom A")),
  "loom-wide": () => shot("loom-wide", "day", `${base}/loom/${dense.id}`, fitted("Winch"), 1920, 1080),
  "loom-channels": () => shot("loom-channels", "day", `${base}/loom/${reel.id}`, channels),
  "loom-surround": () => shot("loom-surround", "day", `${base}/loom/${surround.id}`, weave),
  borrow: () => shot("borrow", "day", `${base}/loom/${reel.id}`, borrowing),
  "cut-list": () => shot("cut-list", "day", `${base}/loom/${reel.id}`, cutList),
  gauge: () =>
    shot("gauge", "day", `${base}/gauge/${surround.id}`, async (p) => {
      await p.getByText("Measured as it is now").waitFor({ timeout: 60_000 });
      await p.getByText("PPM over").first().waitFor();
    }),
  "print-plan": () => shot("print-plan", "day", `${base}/print/${reel.id}`),
  "spec-editor": () =>
    shot("spec-editor", "day", `${base}/print/${surround.id}/spec/film-order-monos`, (p) => p.getByText("_M51_6.LFE.wav").waitFor()),
  "print-report": () => shot("print-report", "day", `${base}/print/${reel.id}/${print.id}`),
  desk: async () => {
    const refused = await broken();
    await shot("desk", "day", `${base}/print/${reel.id}/desk/${refused}`, (p) =>
      p.getByRole("region", { name: "What is wrong" }).waitFor(),
    );
  },
  productions: () => shot("productions", "day", address),
  "loom-chain": () => shot("loom-chain", "night", `${base}/loom/${reel.id}`, chain),
};
for (const [name, run] of Object.entries(all)) if (!only || only.includes(name)) await run();
await browser.close();
