// The desk: a fault that somebody else's hand has made is found, shown and heard at its place, corrected and accepted; two
// deliveries are compared; one is loaded again as a reel. Files without a spec are said to be what they are.
import { mkdtempSync, readFileSync, readdirSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { expect, test, type Page } from "./test";

import { bringIn, chooseSpec, newProduction, unravel } from "./rooms";

/** Swaps the sides of a stereo WAVE of 24 bits. */
function swapped(wave: Buffer): Buffer {
  const out = Buffer.from(wave);
  const data = out.indexOf("data") + 8;
  for (let i = data; i + 6 <= out.length; i += 6)
    for (let k = 0; k < 3; k++) [out[i + k], out[i + 3 + k]] = [wave[i + 3 + k]!, wave[i + k]!];
  return out;
}

/** A stereo WAVE of 24 bits with a frame less at its end. */
function shorter(wave: Buffer): Buffer {
  const data = wave.indexOf("data") + 8;
  const length = wave.readUInt32LE(data - 4) - 6;
  const out = Buffer.concat([wave.subarray(0, data + length), wave.subarray(data + length + 6)]);
  out.writeUInt32LE(length, data - 4);
  out.writeUInt32LE(out.length - 8, 4);
  return out;
}

/** A stereo WAVE of 24 bits whose left channel is 6 dB louder. */
function louder(wave: Buffer): Buffer {
  const out = Buffer.from(wave);
  const data = out.indexOf("data") + 8;
  for (let i = data; i + 6 <= data + out.readUInt32LE(data - 4); i += 6)
    out.writeIntLE(Math.max(-0x800000, Math.min(0x7fffff, wave.readIntLE(i, 3) * 2)), i, 3);
  return out;
}

/** A stereo WAVE of 24 bits, 6 dB down. */
function quieter(wave: Buffer): Buffer {
  const out = Buffer.from(wave);
  const data = out.indexOf("data") + 8;
  for (let i = data; i + 3 <= data + out.readUInt32LE(data - 4); i += 3) out.writeIntLE(Math.round(wave.readIntLE(i, 3) / 2), i, 3);
  return out;
}

async function check(page: Page, folder: string, spec: string) {
  await page.getByRole("button", { name: "check files…" }).click();
  const dialog = page.getByRole("dialog", { name: "Check files at the desk" });
  await dialog.getByLabel("Files of the delivery").setInputFiles(readdirSync(folder).map((f) => join(folder, f)));
  if (spec) await dialog.getByLabel("Held against").selectOption({ label: spec });
  await dialog.getByRole("button", { name: spec ? "Check them" : "Look at them" }).click();
}

test("a swapped pair is found at its place, heard, corrected and accepted; deliveries are compared and loaded again", async ({ page }) => {
  await newProduction(page, "The Lantern Ferry, desk");
  await bringIn(page, "Sound library", ["music"], ["Accordion cue.wav"]);
  await unravel(page, /Accordion cue/);
  await chooseSpec(page, "Eight-channel with full mix");
  await page.getByRole("navigation", { name: "Rooms" }).getByRole("link", { name: "Print" }).click();
  await page.getByLabel("One file a group").check();
  await page.getByRole("button", { name: "Print 4 files" }).click();
  await expect(page.getByRole("region", { name: "Proof" })).toContainText(/The desk (accepts|refuses) it/, { timeout: 60_000 });
  const folder = mkdtempSync(join(tmpdir(), "delivery-"));
  for (const name of await page.getByRole("link", { name: /_stereo\.wav$/ }).allTextContents()) {
    const [d] = await Promise.all([page.waitForEvent("download"), page.getByRole("link", { name }).click()]);
    writeFileSync(join(folder, name), readFileSync(await d.path()));
  }
  const music = join(folder, readdirSync(folder).find((f) => f.includes("_MX_"))!);
  const right = readFileSync(music);

  await test.step("what comes without a spec is said to be what it is", async () => {
    await check(page, folder, "");
    await expect(page.getByRole("heading", { name: "What these files are" })).toBeVisible({ timeout: 30_000 });
    await expect(page.getByRole("region", { name: "What they are" }).getByRole("row")).toHaveCount(4);
    await expect(page.getByRole("region", { name: "What they are" })).toContainText("by the names of its channels");
  });

  await test.step("a swapped pair is refused, at its place, with what it is", async () => {
    writeFileSync(music, swapped(right));
    await check(page, folder, "Eight-channel with full mix");
    const wrong = page.getByRole("region", { name: "What is wrong" });
    await expect(wrong).toContainText("do not add up to Full mix; what would explain it is that L and R of Music are changed over", {
      timeout: 30_000,
    });
    await expect(wrong).toContainText("_MX_stereo.wav, channel 1");
    const hear = wrong.getByRole("button", { name: /^Hear it at 10:00:0/ });
    const [sound] = await Promise.all([page.waitForResponse((r) => r.url().includes("/sound?")), hear.click()]);
    expect(sound.status()).toBeLessThan(300);
    await expect(hear).toHaveAttribute("aria-pressed", "true");
  });

  for (const [what, broken, says] of [
    ["a channel that is too loud", louder, /highest programme level.*_MX_stereo.wav, channel 1/],
    ["a file that is short by a frame", shorter, /samples?/],
  ] as const)
    await test.step(`${what} is refused, and heard at its place`, async () => {
      writeFileSync(music, broken(right));
      await check(page, folder, "Eight-channel with full mix");
      const wrong = page.getByRole("region", { name: "What is wrong" });
      await expect(wrong).not.toContainText("changed over", { timeout: 30_000 });
      await expect(wrong).toContainText("_MX_stereo.wav");
      await expect(wrong).toContainText(says);
      const hear = wrong.getByRole("button", { name: /^Hear it at 10:0/ }).first();
      await hear.click();
      await expect(hear).toHaveAttribute("aria-pressed", "true");
    });

  await test.step("it is corrected, and compared with what was wrong", async () => {
    writeFileSync(music, right);
    await check(page, folder, "Eight-channel with full mix");
    await expect(page.getByRole("heading", { name: /Accepted|Refused/ })).toBeVisible({ timeout: 30_000 });
    await expect(page.getByText("changed over")).toHaveCount(0);
    const other = page.getByLabel("Compare with another delivery");
    await other.selectOption({ index: 3 }); // the swapped pair
    const comparison = page.getByRole("region", { name: "Comparison" });
    await expect(comparison).toContainText(/They differ in \d+ place/, { timeout: 30_000 });
    await expect(comparison).toContainText("_MX_stereo.wav, channel 1");
    await expect(comparison.getByRole("img", { name: "What is left, over time" })).toBeVisible();
  });

  await test.step("it is loaded as a reel, and printed again", async () => {
    await page.getByRole("button", { name: "Load as a reel…" }).click();
    const dialog = page.getByRole("dialog", { name: "Load as a reel" });
    await dialog.getByLabel("Name of the reel").fill("Once more");
    await dialog.getByRole("button", { name: "Make the reel" }).click();
    await expect(page.getByRole("group", { name: "Track Music", exact: true })).toBeVisible({ timeout: 60_000 });
    await expect(page.getByRole("group", { name: /^Track / })).toHaveCount(4);
    await page.getByRole("navigation", { name: "Rooms" }).getByRole("link", { name: "Print" }).click();
    await page.getByLabel("One file a group").check();
    await page.getByRole("button", { name: "Print 4 files" }).click();
    await expect(page.getByRole("region", { name: "Proof" })).toContainText(/The desk (accepts|refuses) it/, { timeout: 60_000 });
    const [d] = await Promise.all([page.waitForEvent("download"), page.getByRole("link", { name: /_MX_stereo\.wav$/ }).click()]);
    const again = readFileSync(await d.path());
    expect(again.subarray(again.indexOf("data")).equals(right.subarray(right.indexOf("data")))).toBe(true);
  });

  await test.step("one part of it is revised: as loud, at its place, and nothing else", async () => {
    const fresh = join(mkdtempSync(join(tmpdir(), "revised-")), "New music.wav");
    writeFileSync(fresh, quieter(right));
    await page.getByRole("region", { name: "Desk" }).getByRole("link").first().click();
    await page.getByRole("button", { name: "Revise a part…" }).click();
    const dialog = page.getByRole("dialog", { name: "Revise a part" });
    await dialog.getByLabel("The new sound").setInputFiles(fresh);
    await expect(dialog.getByLabel("Takes the place of"), "it is called after it").toHaveValue("music");
    await dialog.getByRole("button", { name: "Replace it" }).click();
    await expect(page.getByText(/^Music is replaced by New music, .*\+6\.0 dB, which makes it as loud/)).toBeVisible({ timeout: 60_000 });
    await page.getByLabel("One file a group").check();
    await page.getByRole("button", { name: "Print 4 files" }).click();
    await expect(page.getByRole("region", { name: "Proof" })).toContainText(/The desk (accepts|refuses) it/, { timeout: 60_000 });
    for (const name of await page.getByRole("link", { name: /_stereo\.wav$/ }).allTextContents()) {
      const [d] = await Promise.all([page.waitForEvent("download"), page.getByRole("link", { name }).click()]);
      const now = readFileSync(await d.path());
      const was = readFileSync(join(folder, readdirSync(folder).find((f) => f.slice(-14) === name.slice(-14))!));
      const [a, b] = [now.indexOf("data") + 8, was.indexOf("data") + 8];
      let worst = 0;
      for (let i = 0; i + 3 <= was.length - b; i += 3) worst = Math.max(worst, Math.abs(now.readIntLE(a + i, 3) - was.readIntLE(b + i, 3)));
      if (name.includes("_MX_")) expect(worst, "to some thousandths of a decibel").toBeLessThan(9000);
      else expect(worst, name).toBe(0);
    }
  });
});
