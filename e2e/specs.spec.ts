// Specs of the user's own, and prints that end early or find something wanting.
import { expect, test } from "./test";

import { bringIn, chooseSpec, meets, newProduction, takeRow, track, unravel } from "./rooms";
import { readWave } from "./wave";

const own = (limit: number) => `id: ferry-mono
title: Mono for the harbour radio
container: wave
sampleRate: 48000
bitDepth: 16
packaging: [per-group]
naming: {interleaved: "{reel}", per-group: "{reel}_{tag}"}
truePeakMax: ${limit}
groups:
  - {id: all, name: Everything, tag: ALL, layout: mono, stems: [DX, MX, FX]}
`;

const yaml = (name: string, text: string) => ({ name, mimeType: "application/yaml", buffer: Buffer.from(text) });

test("a spec is brought in, refused with its fault, mended, used, and judged by", async ({ page }) => {
  await newProduction(page, "The Lantern Ferry, own spec");
  await expect(page.getByText("No takes yet")).toBeVisible();
  await bringIn(page, "Sound library", ["effects"], ["Winch.wav"]);
  await unravel(page, /Winch/);
  await expect(page.getByText("No outputs yet")).toBeVisible();
  await page.getByTitle("The delivery spec that the outputs come from").click();
  const bring = page.getByLabel("Bring in a spec (YAML)…");
  await bring.setInputFiles(yaml("wrong.yaml", own(-1).replace("layout: mono", "layout: round")));
  await expect(page.getByText(/wrong\.yaml: The spec is not as it should be: .*layout/)).toBeVisible();
  await bring.setInputFiles(yaml("right.yaml", own(-20)));
  await expect(page.getByText("Mono for the harbour radio can be chosen now.")).toBeVisible();
  await page.keyboard.press("Escape");
  await chooseSpec(page, "Mono for the harbour radio");
  await meets(page, "Effects", "Everything M", /knot at −6 dB/);
  await meets(page, "Winch", "Everything M", /reached at −3 dB/);

  await page.getByRole("navigation", { name: "Rooms" }).getByRole("link", { name: "Print" }).click();
  await page.getByRole("button", { name: "Print the file" }).click();
  await expect(page.getByRole("heading", { name: "Printed, but found wanting" })).toBeVisible({ timeout: 30_000 });
  await expect(page.getByRole("row", { name: /Everything: highest true peak/ })).toContainText("at most −20.00 dBTP");
  const [d] = await Promise.all([page.waitForEvent("download"), page.getByRole("link", { name: "Reel_1_ALL.wav" }).click()]);
  const wave = readWave(await d.path());
  expect(wave).toMatchObject({ channels: 1, bits: 16, rate: 48000 });
  expect(wave.ixml).toContain("<NAME>Everything</NAME>");
});

test("what stops a print is said before, and a take in use is not removed", async ({ page }) => {
  await newProduction(page, "The Lantern Ferry, refusals");
  await page.getByRole("navigation", { name: "Rooms" }).getByRole("link", { name: "Loom" }).click();
  await expect(page.getByRole("heading", { name: "There is no reel yet" })).toBeVisible();
  await page.getByLabel("Starts at").fill("09:59:30:00");
  await page.getByRole("button", { name: "Make the reel" }).click();
  await expect(page.getByText("Nothing is on this reel yet")).toBeVisible();
  await bringInAndUnravel();
  await chooseSpec(page, "Six-channel split");
  await page.getByRole("navigation", { name: "Rooms" }).getByRole("link", { name: "Print" }).click();
  await expect(page.getByText("The spec asks for a start at 10:00:00:00 and the reel starts at 09:59:30:00")).toBeVisible();
  await expect(page.getByText("Nothing feeds Dialogue L; it would be silent")).toBeVisible();
  await expect(page.getByRole("button", { name: "Print the file" })).toBeDisabled();
  await page.getByRole("navigation", { name: "Rooms" }).getByRole("link", { name: "Loom" }).click();
  const start = page.getByLabel("Timecode at which the reel starts");
  await start.fill("10:00:00:00");
  await start.press("Enter");
  await page.getByRole("navigation", { name: "Rooms" }).getByRole("link", { name: "Print" }).click();
  await expect(page.getByText("The spec asks for a start")).toHaveCount(0);
  await expect(page.getByText(/All of this reel lies before its start: its clips run from 09:59:30:00/)).toBeVisible();
  await expect(page.getByRole("button", { name: "Start the reel at 09:59:30:00" })).toBeVisible();

  await page.getByRole("navigation", { name: "Rooms" }).getByRole("link", { name: "Takes" }).click();
  await page.getByRole("button", { name: "More for this take" }).click();
  await page.getByRole("menuitem", { name: /Remove this take/ }).click();
  await expect(page.getByText("Reel 1 uses this take, so it can't be removed")).toBeVisible();
  await expect(takeRow(page, /Bell/)).toBeVisible();

  async function bringInAndUnravel() {
    await page.getByRole("navigation", { name: "Rooms" }).getByRole("link", { name: "Takes" }).click();
    await bringIn(page, "Sound library", ["effects"], ["Bell.wav"]);
    await unravel(page, /Bell/);
    await expect(track(page, "Bell")).toBeVisible();
  }
});
