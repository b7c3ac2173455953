// The whole way, on the demo's card: takes, unravel, Loom, spec and weave, print. What comes out is read byte for byte.
import { spawnSync } from "node:child_process";
import { expect, test, type Page } from "./test";

import { bringIn, chooseSpec, chosen, meets, newProduction, scenario, takeRow, track, unravel } from "./rooms";
import { readWave, type WaveFile } from "./wave";

async function download(page: Page, name: RegExp): Promise<{ name: string; wave: WaveFile }> {
  const [d] = await Promise.all([page.waitForEvent("download"), page.getByRole("link", { name }).click()]);
  return { name: d.suggestedFilename(), wave: readWave(await d.path()) };
}

test("from the card to a proven delivery", async ({ page }) => {
  await newProduction(page, "The Lantern Ferry, delivery");

  await test.step("takes come in from the card and the library", async () => {
    await bringIn(page, "Recorder card LF03", ["LF03"], ["LF03_12A_T03.wav", "LF03_12A_T02.wav"]);
    await bringIn(page, "Sound library", ["music"], ["Accordion cue.wav"]);
    await bringIn(page, "Sound library", ["effects"], ["Bell.wav"]);
    await expect(page.getByRole("listbox", { name: "Takes" }).getByRole("option")).toHaveCount(4);
    await takeRow(page, /12A.*take 3/).click();
    await expect(page.getByRole("heading", { name: "12A, take 3" })).toBeVisible();
    await expect(page.getByText("10:00:32:00 – 10:00:52:00")).toBeVisible();
    await expect(page.getByText("1 channel folded away: 7, Input 7")).toBeVisible();
    await expect(page.locator("[data-channel='1']")).toContainText("left out");
  });

  await test.step("a name is given once", async () => {
    await page.getByRole("button", { name: "Name of channel 4: Ines lav" }).click();
    await page.getByRole("combobox", { name: "Name of channel 4" }).fill("Ines, lav");
    await page.keyboard.press("Enter");
    await expect(page.getByText("in the file: Ines lav")).toBeVisible();
    await page.keyboard.press("Control+z");
    await expect(page.getByText("in the file: Ines lav")).toBeHidden();
    await page.keyboard.press("Control+Shift+z");
    await expect(page.getByText("in the file: Ines lav")).toBeVisible();
  });

  await test.step("unravel makes tied tracks at the take's timecode", async () => {
    await unravel(page, /12A.*take 3/);
    await expect(track(page, "Ines, lav")).toBeVisible();
    await expect(track(page, "Mix L")).toHaveCount(0);
    await track(page, "Boom").click();
    await expect(page.getByLabel("Timecode at which the clip starts")).toHaveValue("10:00:32:00");
    await expect(chosen(page).getByText("tied to 4 other clips")).toBeVisible();
    await unravel(page, /Accordion cue/);
    await expect(track(page, "Accordion cue")).toContainText("stereo, bonded");
    await unravel(page, /Bell/);
  });

  await test.step("suggested stems are kept or changed by one key", async () => {
    await track(page, "Bell").click();
    await expect(track(page, "Bell")).toContainText("stem suggested");
    await page.keyboard.press("Enter");
    await expect(track(page, "Bell")).not.toContainText("stem suggested");
    await track(page, "Wheelhouse plant").click();
    await page.keyboard.press("t");
    await expect(page.getByRole("button", { name: "Stem of Wheelhouse plant: DX" })).toBeVisible();
    await page.keyboard.press("Control+z");
    await expect(page.getByRole("button", { name: "Stem of Wheelhouse plant: AX, suggested" })).toBeVisible();
  });

  await test.step("a spec lays the outputs out and ties the knots", async () => {
    await chooseSpec(page, "Six-channel split");
    await meets(page, "Dialogue", "Dialogue L", /knot at 0 dB/);
    await meets(page, "Boom", "Dialogue L", /reached at −3 dB/);
    await meets(page, "Accordion cue", "Music R", /reached at 0 dB/);
  });

  await test.step("one iso alone, at unity on both sides", async () => {
    for (const name of ["Boom", "Tobiah lav", "Radio"]) await page.getByRole("button", { name: `Mute ${name}`, exact: true }).click();
    await track(page, "Ines, lav").click();
    await page.getByLabel(/dual mono/).check();
    await meets(page, "Ines, lav", "Dialogue L", /reached at 0 dB/);
  });

  await test.step("print: first the plan, then files, one a group", async () => {
    await page.getByRole("navigation", { name: "Rooms" }).getByRole("link", { name: "Print" }).click();
    await expect(page.getByText("Boom is muted and will not be printed")).toBeVisible();
    await page.getByLabel("One file a group").check();
    await page.getByRole("button", { name: "Print 3 files" }).click();
    await expect(page.getByRole("heading", { name: "Delivered and proven" })).toBeVisible({ timeout: 60_000 });

    const dx = await download(page, /_DX_stereo\.wav/);
    expect(dx.wave).toMatchObject({ channels: 2, bits: 24, rate: 48000, timeReference: 36000 * 48000 });
    expect(dx.wave.ixml).toContain("<NAME>Dialogue L</NAME>");
    const source = readWave(`${scenario}/card/LF03/LF03_12A_T03.wav`);
    const at = 32 * 48000;
    for (let i = 0; i < source.frames; i++) {
      const want = source.sample(i, 3);
      if (dx.wave.sample(at + i, 0) !== want || dx.wave.sample(at + i, 1) !== want)
        throw new Error(`frame ${i} is not the iso's, bit for bit`);
    }
    for (let i = 0; i < at; i++) if (dx.wave.sample(i, 0) !== 0) throw new Error(`frame ${i} should be silent`);
    const fx = await download(page, /_FX_stereo\.wav/);
    expect(fx.wave.frames).toBe(dx.wave.frames);
  });

  await test.step("the three stems add up to the full mix", async () => {
    await page.getByRole("navigation", { name: "Rooms" }).getByRole("link", { name: "Loom" }).click();
    for (const name of ["Boom", "Tobiah lav", "Radio"]) await page.getByRole("button", { name: `Mute ${name}`, exact: true }).click();
    await chooseSpec(page, "Eight-channel with full mix");
    await meets(page, "Dialogue", "Full mix L", /knot at 0 dB/);
    await page.getByRole("navigation", { name: "Rooms" }).getByRole("link", { name: "Print" }).click();
    await page.getByRole("button", { name: "Print the file" }).click();
    await expect(page.getByRole("heading", { name: /Delivered and proven|found wanting|refuses it/ })).toBeVisible({ timeout: 60_000 });
    await expect(page.getByRole("row", { name: /Dialogue \+ Effects \+ Music add up to Full mix/ })).toContainText(
      "what dither and rounding at this depth leave",
    );
    const mix = await download(page, /_MIX\.wav/);
    expect(mix.wave.channels).toBe(8);
    let worst = 0;
    let loudest = 0;
    for (let i = 0; i < mix.wave.frames; i++) {
      for (const side of [0, 1]) {
        const s = (c: number) => mix.wave.sample(i, c + side);
        worst = Math.max(worst, Math.abs(s(6) - s(0) - s(2) - s(4)));
        loudest = Math.max(loudest, Math.abs(s(6)));
      }
    }
    expect(loudest).toBeGreaterThan(1_000_000);
    expect(20 * Math.log10(worst / 2 ** 23)).toBeLessThan(-120);
  });

  await test.step("everything in one archive", async () => {
    const [zip] = await Promise.all([
      page.waitForEvent("download"),
      page.getByRole("link", { name: /All files, report and checksums/ }).click(),
    ]);
    expect(zip.suggestedFilename()).toBe("The_Lantern_Ferry_delivery_Reel_1_eight-channel-mix_v1.zip");
  });
});

// The demo's own reel, against an independent meter.
test("loudness and true peak of the demo's mix agree with ffmpeg", async ({ page }, info) => {
  await page.goto("/");
  await page.getByRole("link", { name: /The Lantern Ferry(?!,)/ }).click();
  await page.getByRole("navigation", { name: "Rooms" }).getByRole("link", { name: "Print" }).click();
  await page.getByLabel("One file a group").check();
  await page.getByRole("button", { name: "Print 4 files" }).click();
  await expect(page.getByRole("heading", { name: "Delivered and proven" })).toBeVisible({ timeout: 60_000 });
  const row = page.getByRole("row", { name: /^Full mix −/ });
  const cells = (await row.getByRole("cell").allTextContents()).map((t) => Number(t.replace("−", "-")));
  const [d] = await Promise.all([page.waitForEvent("download"), page.getByRole("link", { name: /_MIX_stereo\.wav/ }).click()]);
  const file = info.outputPath("mix.wav");
  await d.saveAs(file);
  const { stderr } = spawnSync(
    "ffmpeg",
    ["-hide_banner", "-nostats", "-i", file, "-af", "ebur128=peak=true:framelog=verbose", "-f", "null", "-"],
    { encoding: "utf8" },
  );
  const figure = (form: RegExp) => Number(form.exec(stderr)?.[1]);
  // The page shows one decimal, and so does ffmpeg: half a step of rounding on each side comes on top.
  expect(Math.abs(cells[1]! - figure(/I:\s+(-?[\d.]+) LUFS/))).toBeLessThanOrEqual(0.1 + 1e-9);
  expect(Math.abs(cells[4]! - figure(/Peak:\s+(-?[\d.]+) dBFS/))).toBeLessThanOrEqual(0.3);
  info.annotations.push({
    type: "measured",
    description: `ours ${cells[1]} LUFS ${cells[4]} dBTP, ffmpeg ${figure(/I:\s+(-?[\d.]+) LUFS/)} ${figure(/Peak:\s+(-?[\d.]+) dBFS/)}`,
  });
});
