// A hum on one microphone: found, heard, accepted for the roll, gone from every clip of it on two reels, and there again in the one that says no.
import { execFileSync } from "node:child_process";
import { readFileSync, writeFileSync } from "node:fs";
import { expect, test, type Page } from "./test";

import { bringIn, chooseSpec, chosen, goTo, newProduction, range, scenario, takeRow, track, unravel } from "./rooms";

/** A file of the card with a mains hum on one channel (from 0): 24-bit samples, its other chunks as they are. */
function humming(file: string, channel: number, to: string): string {
  const b = readFileSync(file);
  let at = 12;
  let channels = 0;
  for (; b.toString("latin1", at, at + 4) !== "data"; at += 8 + b.readUInt32LE(at + 4) + (b.readUInt32LE(at + 4) % 2))
    if (b.toString("latin1", at, at + 4) === "fmt ") channels = b.readUInt16LE(at + 10);
  const end = at + 8 + b.readUInt32LE(at + 4);
  for (let i = 0, p = at + 8 + 3 * channel; p + 3 <= end; i++, p += 3 * channels) {
    const turn = (2 * Math.PI * 50 * i) / 48000;
    const hum = 0.02 * Math.sin(turn) + 0.01 * Math.sin(2 * turn) + 0.004 * Math.sin(3 * turn);
    b.writeIntLE(Math.max(-8388608, Math.min(8388607, b.readIntLE(p, 3) + Math.round(hum * 8388607))), p, 3);
  }
  writeFileSync(to, b);
  return to;
}

/** What another program measures of the hum in a file, in dBFS. */
function hum(file: string, pan: string, from: number, seconds: number): number {
  const filter = `pan=mono|c0=${pan},bandpass=f=50:width_type=h:w=4,bandpass=f=50:width_type=h:w=4,volumedetect`;
  const args = ["-hide_banner", "-ss", String(from), "-t", String(seconds), "-i", file, "-af", filter, "-f", "null", "-"];
  const said = execFileSync("sh", ["-c", '"$@" 2>&1', "sh", "ffmpeg", ...args], { encoding: "utf8" });
  return Number(/mean_volume: (-?[\d.]+) dB/.exec(said)![1]);
}

const room = (page: Page, name: string) => page.getByRole("navigation", { name: "Rooms" }).getByRole("link", { name });

/** Prints the groups, and gives the dialogue. */
async function printed(page: Page, to: string): Promise<string> {
  await room(page, "Print").click();
  await page.getByLabel("One file a group").check();
  await page.getByRole("button", { name: "Print 3 files" }).click();
  await expect(page.getByRole("heading", { name: /Delivered and proven/ })).toBeVisible({ timeout: 60_000 });
  const [file] = await Promise.all([
    page.waitForEvent("download"),
    page
      .getByRole("link", { name: /_DX_stereo\.wav/ })
      .first()
      .click(),
  ]);
  await file.saveAs(to);
  await room(page, "Loom").click();
  return to;
}

/** Leaves one microphone in the dialogue. */
async function alone(page: Page) {
  await chooseSpec(page, "Six-channel split");
  for (const name of ["Boom", "Tobiah lav", "Radio", "Wheelhouse plant"])
    await page.getByRole("button", { name: `Mute ${name}`, exact: true }).click();
}

test("a hum is treated for the roll, on two reels, and one clip has none of it", async ({ page }, info) => {
  const files = ["LF03_12A_T02.wav", "LF03_12A_T03.wav"].map((f) => humming(`${scenario}/card/LF03/${f}`, 3, info.outputPath(f)));
  await newProduction(page, "The Lantern Ferry, hum");
  await page
    .getByRole("button", { name: /^Bring in/ })
    .first()
    .click();
  await page.getByLabel(/From this computer/).setInputFiles(files);
  await expect(takeRow(page, /12A.*take 2/)).toBeVisible({ timeout: 60_000 });
  await takeRow(page, /12A.*take 3/).click();
  const panel = page.getByRole("region", { name: "Treatment of Ines lav", exact: true });

  await test.step("what was found is suggested, and heard before anything is done", async () => {
    const row = page.locator('[data-channel="4"]');
    await expect(row).toContainText("Hum at 50 Hz", { timeout: 60_000 });
    await row.getByRole("button", { name: "treat it…" }).click();
    await expect(panel).toContainText("Suggested, not kept yet");
    await expect(panel.getByRole("heading", { name: "Hum", exact: true })).toBeVisible();
    await expect(panel).toContainText("50.0 Hz", { timeout: 30_000 }); // it was found there
    await panel.getByRole("button", { name: "Hear", exact: true }).click();
    await expect(panel.getByRole("button", { name: "Stop" })).toBeVisible();
    await panel.getByRole("radio", { name: "what goes" }).click();
    await panel.getByRole("radio", { name: "as recorded" }).click();
    await panel.getByRole("button", { name: "Stop" }).click();
    const takes = (await (await page.request.get(page.url().replace(/.*\/p\/([^/]+).*/, "/api/v1/productions/$1/takes"))).json()).takes;
    expect(takes.map((t: { treatments: unknown[] }) => t.treatments.length)).toEqual([0, 0]);
  });

  await test.step("accepted for the roll, undone, and done again", async () => {
    await panel.getByRole("button", { name: "Accept for roll LF03" }).click();
    const row = page.locator('[data-channel="4"]');
    await expect(row.getByRole("button", { name: "treated", exact: true })).toBeVisible();
    await expect(row.getByRole("button", { name: "treat it…" })).toBeHidden();
    await page.getByRole("button", { name: /^Undo/ }).first().click();
    await expect(row.getByRole("button", { name: "treat", exact: true })).toBeVisible();
    await page.getByRole("button", { name: /^Redo/ }).first().click();
    await takeRow(page, /12A.*take 2/).click();
    await expect(row.getByRole("button", { name: "treated", exact: true })).toBeVisible();
  });

  const was = hum(files[1]!, "c3", 0, 20);
  await test.step("gone from what is printed of one reel and of another", async () => {
    await unravel(page, /12A.*take 3/);
    await alone(page);
    const first = await printed(page, info.outputPath("first.wav"));
    expect(hum(first, "c0", 32, 20) + 3).toBeLessThan(was - 25); // the pan law
    await room(page, "Takes").click();
    await takeRow(page, /12A.*take 3/).click();
    await page.getByLabel("Reel to unravel onto").selectOption({ label: "a new reel" });
    await page.getByRole("button", { name: /^Unravel \d+ tracks onto a new reel/ }).click();
    await expect(page.getByRole("group", { name: "Tracks" })).toBeVisible();
    await alone(page);
    const second = await printed(page, info.outputPath("second.wav"));
    expect(hum(second, "c0", 32, 20) + 3).toBeLessThan(was - 25);
  });

  await test.step("a clip that says no has it still", async () => {
    await track(page, "Ines lav").click();
    await page.keyboard.press("Shift+w");
    await expect(chosen(page).getByRole("button", { name: "Treatment 1" })).toBeVisible();
    await chosen(page)
      .getByRole("button", { name: /^More for/ })
      .click();
    await page.getByRole("menuitem", { name: "Sound as recorded, without the treatment of its microphone" }).click();
    await expect(chosen(page).getByRole("button", { name: "Treatment none here" })).toBeVisible();
    const plain = await printed(page, info.outputPath("plain.wav"));
    expect(Math.abs(hum(plain, "c0", 32, 20) + 3 - was)).toBeLessThan(1);
    await track(page, "Ines lav").click();
    await page.keyboard.press("Shift+w");
    await chosen(page).getByRole("button", { name: "Treatment none here" }).click();
    await expect(panel).toBeVisible();
    await expect(panel.getByRole("button", { name: /^Undo .*on roll LF03/ })).toBeVisible();
  });
});

/** What another program measures of a stretch of a file, in dBFS. */
function level(file: string, pan: string, from: number, seconds: number): number {
  const filter = `pan=mono|c0=${pan},volumedetect`;
  const args = ["-hide_banner", "-ss", String(from), "-t", String(seconds), "-i", file, "-af", filter, "-f", "null", "-"];
  const said = execFileSync("sh", ["-c", '"$@" 2>&1', "sh", "ffmpeg", ...args], { encoding: "utf8" });
  return Number(/mean_volume: (-?[\d.]+) dB/.exec(said)![1]);
}

test("speech is put out by the room tone of its microphone, and comes back", async ({ page }, info) => {
  await newProduction(page, "The Lantern Ferry, room tone");
  await bringIn(page, "Recorder card LF03", ["LF03"], ["LF03_12A_T03.wav"]);
  await unravel(page, /12A.*take 3/);
  await alone(page);
  const reel = page.url().split("/").at(-1)!.split("?")[0]!;
  const lane = async () => {
    const view = await (await page.request.get(`/api/v1/reels/${reel}`)).json();
    const on = view.tracks.find((t: { name: string }) => t.name === "Ines lav").id;
    const clip = view.clips.find((c: { track: string }) => c.track === on);
    return { take: clip.take as string, channel: (clip.channels[0] as number) + 1, borrowed: clip.lanes?.[0]?.borrowed?.[0] };
  };
  await track(page, "Ines lav").click();
  await goTo(page, "10:00:36:00");
  await page.keyboard.press("Shift+w");
  await range(page, "10:00:34:00", "10:00:37:00");
  await page.keyboard.press("Shift+h");
  await expect(page.getByRole("button", { name: /^Undo.*room tone/ })).toBeVisible();
  const { take, channel, borrowed } = await lane();
  const quiet = await (await page.request.get(`/api/v1/takes/${take}/quiet?channel=${channel}`)).json();
  expect(borrowed.quiet).toEqual(quiet);
  const source = `${scenario}/card/LF03/LF03_12A_T03.wav`;
  const tone = level(source, "c3", quiet.from / 48000, (quiet.to - quiet.from) / 48000);
  const file = await printed(page, info.outputPath("tone.wav"));
  expect(level(source, "c3", 2.5, 2)).toBeGreaterThan(tone + 10); // somebody speaks there
  expect(Math.abs(level(file, "c0", 34.5, 2) + 3 - tone)).toBeLessThan(1.5); // the pan law
  // A quiet that somebody chose is taken in its place.
  await track(page, "Ines lav").click();
  await goTo(page, "10:00:36:00");
  await page.keyboard.press("Shift+w");
  await range(page, "10:00:32:00", "10:00:32:20");
  await page.keyboard.press("Alt+h");
  await expect(page.getByText(/Room tone is made of these/)).toBeVisible();
  await range(page, "10:00:34:00", "10:00:37:00");
  await page.keyboard.press("Shift+h");
  await expect.poll(async () => (await lane()).borrowed?.quiet).toEqual({ from: 0, to: 38400 });
  await page.keyboard.press("Control+z");
  await page.keyboard.press("Control+z");
  await expect.poll(async () => (await lane()).borrowed).toBeUndefined();
});
