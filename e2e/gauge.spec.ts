// Six monos of a mix that is too loud: measured, found to be over, corrected, heard both ways, measured again, and printed as six files
// that ffmpeg, which shares no code with us, measures as they should be.
import { execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { expect, test, type Page } from "./test";

import { newProduction, takeRow } from "./rooms";
import { monoFile, readWave } from "./wave";

const rate = 48000;
const seconds = 24;
const labels = ["L", "R", "C", "LFE", "Ls", "Rs"];

const spec = `spec: 2
id: ferry-promo-monos
title: Promo as six monos
programme: {frameRate: "25"}
groups:
  - {id: full, name: Full mix, tag: MIX, layout: "5.1", order: smpte, from: {mix: full}}
mixes:
  - {id: full, name: Full mix, layout: "5.1"}
files:
  - {each: channel, of: [full], name: "{reel}_{number}_{channel}", container: wave, depth: 24}
limits:
  - {of: [full], profile: r128-s1}
`;

/** A mono of 24 bits: noise that swells, bursts beyond the ceiling, and four seconds that are far too loud. */
function mono(channel: number): Buffer {
  const data = Buffer.alloc(rate * seconds * 3);
  let seed = 1234567 + channel * 7919;
  const noise = () => {
    seed = (Math.imul(seed, 1664525) + 1013904223) | 0;
    return seed / 2 ** 31;
  };
  for (let i = 0; i < rate * seconds; i++) {
    const t = i / rate;
    let x = labels[channel] === "LFE" ? 0.5 * Math.sin(2 * Math.PI * 45 * t) : noise() * 0.016 * (t >= 10 && t < 14 ? 4.5 : 1);
    if (labels[channel] !== "LFE" && i % 96000 < 60) x = 0.97 * Math.sin(i * 0.37 + channel);
    data.writeIntLE(Math.round(x * 0x7ffffe), i * 3, 3);
  }
  return monoFile(data, rate);
}

/** What ffmpeg measures of six monos as 5.1. */
function byFFmpeg(paths: string[]) {
  const inputs = paths.map((_, i) => `[${i}:a]`).join("");
  const args = [
    "-hide_banner",
    "-nostats",
    ...paths.flatMap((p) => ["-i", p]),
    "-filter_complex",
    `${inputs}join=inputs=6:channel_layout=5.1(side),ebur128=peak=true:framelog=verbose`,
    "-f",
    "null",
    "-",
  ];
  const said = execFileSync("sh", ["-c", '"$@" 2>&1', "sh", "ffmpeg", ...args], { encoding: "utf8" });
  const figure = (form: RegExp) => Number([...said.matchAll(form)].at(-1)![1]);
  return { integrated: figure(/I:\s+(-?[\d.]+) LUFS/g), truePeak: figure(/Peak:\s+(-?[\d.]+) dBFS/g) };
}

/** Writes the six monos and brings them into a new production; they become one take. */
async function bringIn(page: Page, folder: string, production: string): Promise<string[]> {
  const paths = labels.map((label, i) => {
    const path = join(folder, `Ferry promo MIX.${label}.wav`);
    writeFileSync(path, mono(i));
    return path;
  });
  await newProduction(page, production);
  await page
    .getByRole("button", { name: /^Bring in/ })
    .first()
    .click();
  await page.getByLabel(/From this computer/).setInputFiles(paths);
  await expect(takeRow(page, /MIX.*6 files/)).toBeVisible({ timeout: 30_000 });
  await page.keyboard.press("Escape");
  return paths;
}

/** A figure as the page shows it. */
async function figureOf(page: Page, what: string): Promise<number> {
  const figure = page.getByRole("complementary", { name: "Figures" }).locator("dl > div").filter({ hasText: what }).locator("dd");
  return Number((await figure.innerText()).replace("−", "-").replace(/[^\d.-].*$/s, ""));
}

test("six monos are measured, corrected, measured again and printed as six files", async ({ page }) => {
  test.setTimeout(120_000);
  const folder = mkdtempSync(join(tmpdir(), "monos-"));
  const before = byFFmpeg(await bringIn(page, folder, "The Lantern Ferry, gauge"));
  await takeRow(page, /MIX.*6 files/).click();
  await page.getByRole("button", { name: "Unravel 1 track onto a new reel" }).click();
  await expect(page.getByRole("group", { name: "Tracks" })).toBeVisible();
  // The stem is a pair, into which the set would be folded.
  const reel = `/api/v1/reels/${/\/loom\/([\w-]+)/.exec(page.url())![1]}`;
  const { revision } = (await (await page.request.get(reel)).json()) as { revision: number };
  const origin = new URL(page.url()).origin;
  expect(
    (
      await page.request.post(`${reel}/commands`, {
        headers: { Origin: origin },
        data: { revision, kind: "setStem", command: { stem: "DX", labels, yes: true } },
      })
    ).ok(),
  ).toBe(true);
  await page.getByTitle("The delivery spec that the outputs come from").click();
  await page
    .getByLabel("Bring in a spec (YAML)…")
    .setInputFiles({ name: "monos.yaml", mimeType: "application/yaml", buffer: Buffer.from(spec) });
  await page
    .getByRole("dialog", { name: "Delivery spec" })
    .locator("li")
    .filter({ has: page.getByText("Promo as six monos", { exact: true }) })
    .getByRole("button")
    .click();
  await page.getByRole("navigation", { name: "Rooms" }).getByRole("link", { name: "Gauge" }).click();
  const figures = page.getByRole("complementary", { name: "Figures" });
  const figure = (what: string) => figureOf(page, what);

  await test.step("it is over, as ffmpeg says as well, and where", async () => {
    await expect(figures.getByText("Integrated")).toBeVisible({ timeout: 30_000 });
    expect(await figure("Integrated")).toBeCloseTo(before.integrated, 0);
    expect(Math.abs((await figure("True peak")) - before.truePeak)).toBeLessThan(0.3);
    await expect(figures.getByRole("img", { name: "off what is asked" }).first()).toBeVisible();
    const places = page.getByRole("region", { name: "Where it is not as asked" });
    await expect(places.getByText(/short-term over for/).first()).toBeVisible();
    const hear = places.getByRole("button", { name: /^Hear it at / }).first();
    await hear.click();
    const stop = places.getByRole("button", { name: "Stop" });
    await expect(stop).toBeVisible();
    await stop.click({ timeout: 5000 }).catch(() => undefined); // on a busy machine the place may have ended by itself
    await expect(stop).toHaveCount(0);
  });

  await test.step("it is corrected, heard both ways, and right", async () => {
    const correct = page.getByRole("region", { name: "Correct it" });
    await correct.getByRole("button", { name: /^Correct it/ }).click();
    await expect(correct.getByText(/dB at most/)).toBeVisible({ timeout: 60_000 });
    await expect.poll(() => figure("Integrated"), { timeout: 30_000 }).toBe(-23);
    expect(await figure("True peak")).toBeLessThanOrEqual(-1);
    expect(await figure("Short-term max")).toBeLessThanOrEqual(-18);
    await expect(figures.getByRole("img", { name: "off what is asked" })).toHaveCount(0);
    await page.getByRole("main").getByRole("button", { name: "Play", exact: true }).click();
    await expect(page.getByLabel("What is heard")).toBeVisible({ timeout: 60_000 });
    await page.getByRole("button", { name: "as it was" }).click();
    await expect(page.getByRole("button", { name: "as it was" })).toHaveAttribute("aria-pressed", "true");
    await page.getByRole("main").getByRole("button", { name: "Stop", exact: true }).first().click();
  });

  await test.step("undo takes it back, and redo puts it there", async () => {
    await page.getByRole("button", { name: /^Undo: correct/ }).click();
    await expect.poll(() => figure("Integrated"), { timeout: 30_000 }).toBeCloseTo(before.integrated, 0);
    await page.getByRole("button", { name: /^Redo: correct/ }).click();
    await expect.poll(() => figure("Integrated"), { timeout: 30_000 }).toBe(-23);
  });

  await test.step("printed as six files, it is what ffmpeg measures too", async () => {
    await page.getByRole("navigation", { name: "Rooms" }).getByRole("link", { name: "Print" }).click();
    await page.getByRole("button", { name: "Print 6 files" }).click();
    await expect(page.getByRole("region", { name: "Proof" })).toContainText("The desk accepts it", { timeout: 60_000 });
    const printed: string[] = [];
    for (const [i, label] of labels.entries()) {
      const [d] = await Promise.all([
        page.waitForEvent("download"),
        page.getByRole("link", { name: new RegExp(`_${i + 1}_${label}\\.wav$`) }).click(),
      ]);
      const path = join(folder, `printed ${label}.wav`);
      writeFileSync(path, readFileSync(await d.path()));
      expect(readWave(path)).toMatchObject({ channels: 1, bits: 24, rate, frames: rate * seconds });
      printed.push(path);
    }
    const after = byFFmpeg(printed);
    expect(Math.abs(after.integrated + 23)).toBeLessThanOrEqual(0.1);
    expect(after.truePeak).toBeLessThanOrEqual(-1);
  });
});

test("six monos are measured and levelled as files, and stay six files", async ({ page }) => {
  test.setTimeout(120_000);
  const folder = mkdtempSync(join(tmpdir(), "files-"));
  const before = byFFmpeg(await bringIn(page, folder, "The Lantern Ferry, files"));
  await page.getByRole("navigation", { name: "Rooms" }).getByRole("link", { name: "Gauge" }).click();
  const figures = page.getByRole("complementary", { name: "Figures" });
  const figure = (what: string) => figureOf(page, what);

  await test.step("measured as what they are together, in the order that they say and in another", async () => {
    await expect(figures.getByText("Integrated")).toBeVisible({ timeout: 30_000 });
    expect(await figure("Integrated")).toBeCloseTo(before.integrated, 0);
    const order = figures.getByRole("region", { name: "Which channel is which" });
    await expect(order.getByLabel("What Ferry promo MIX.LFE.wav is")).toHaveValue("LFE");
    await order.getByLabel("In the order").selectOption({ label: "5.1 film order: L C R Ls Rs LFE" });
    await expect(order.getByLabel("What Ferry promo MIX.R.wav is")).toHaveValue("C");
    await expect.poll(() => figure("Integrated")).toBeGreaterThan(before.integrated + 1); // the loud LFE counts now
    await page.getByRole("button", { name: /^Undo: / }).click();
    await expect.poll(() => figure("Integrated")).toBeCloseTo(before.integrated, 0);
    await page.getByLabel("True peak at").selectOption("8×");
    await expect.poll(async () => Math.abs((await figure("True peak")) - before.truePeak)).toBeLessThan(0.3);
  });

  await test.step("levelled, they keep their names, and ffmpeg measures what was asked", async () => {
    await page
      .getByLabel("Judged by")
      .selectOption({ label: "EBU R 128, supplement 1: short-form broadcast content, as advertisements and promos" });
    const level = page.getByRole("region", { name: "Level" });
    await level.getByRole("button", { name: "Level it" }).click();
    await expect(level.getByText("6 files written.")).toBeVisible({ timeout: 60_000 });
    await expect(level.getByText(/→ −23\.0 LUFS/)).toBeVisible();
    await level.getByRole("button", { name: "Show them" }).click();
    const written: string[] = [];
    for (const label of labels) {
      const [d] = await Promise.all([
        page.waitForEvent("download"),
        level.getByRole("link", { name: `Ferry promo MIX.${label}.wav` }).click(),
      ]);
      const path = join(folder, `levelled ${label}.wav`);
      writeFileSync(path, readFileSync(await d.path()));
      expect(readWave(path)).toMatchObject({ channels: 1, bits: 24, rate, frames: rate * seconds });
      written.push(path);
    }
    const after = byFFmpeg(written);
    expect(Math.abs(after.integrated + 23)).toBeLessThanOrEqual(0.1);
    expect(after.truePeak).toBeLessThanOrEqual(-1);
  });
});
