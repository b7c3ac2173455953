// What arrives broken gets a plain word where the user is, and hurts nothing else.
import { readFileSync } from "node:fs";
import { expect, test } from "./test";

import { bringIn, newProduction, scenario, takeRow, track } from "./rooms";

const good = () => readFileSync(`${scenario}/library/effects/Chain.wav`);

async function choose(page: import("@playwright/test").Page, files: { name: string; mimeType: string; buffer: Buffer }[]) {
  await page
    .getByRole("button", { name: /^Bring in/ })
    .first()
    .click();
  await page.getByLabel(/From this computer/).setInputFiles(files);
}

const wav = (name: string, buffer: Buffer) => ({ name, mimeType: "audio/wav", buffer });

test("bad files are told apart and the good one comes in", async ({ page }) => {
  await newProduction(page, "The Lantern Ferry, bad files");
  const noChannels = good();
  noChannels.writeUInt16LE(0, noChannels.indexOf("fmt ") + 10);
  await choose(page, [
    wav("log.wav", Buffer.from("The ferry's log book, typed by hand. It is no recording.")),
    wav("empty.wav", Buffer.alloc(0)),
    wav("chunk.wav", good().subarray(0, 30)),
    wav("nochannels.wav", noChannels),
    wav("cut.wav", good().subarray(0, 300_001)),
    wav("Chain.wav", good()),
  ]);
  const panel = page.getByRole("region", { name: "Work on takes" });
  await expect(panel).toContainText("This is not a WAVE, RF64, BW64 or AIFF file (at byte 0)");
  await expect(panel).toContainText("empty.wav is empty");
  await expect(panel).toContainText("The file ends inside its format chunk");
  await expect(panel).toContainText("0 channels, so its sound can't be read");
  await expect(takeRow(page, /Chain/)).toBeVisible();
  await expect(takeRow(page, /cut/)).toContainText("damaged, saved in part");
  await takeRow(page, /cut/).click();
  await expect(page.getByText(/what is there was kept/)).toBeVisible();
  await page.getByRole("button", { name: "Put log.wav away" }).click();
  await expect(panel).not.toContainText("log.wav");
  // The same bytes under another name are another delivery; the same file twice is a question.
  await choose(page, [wav("Chain copy.wav", good())]);
  await expect(takeRow(page, /Chain copy/)).toBeVisible();
  const takes = page.getByRole("listbox", { name: "Takes" }).getByRole("option");
  const before = await takes.count();
  await choose(page, [wav("Chain.wav", good())]);
  await expect(panel).toContainText("has this very file already, as Chain.wav");
  await expect(takes).toHaveCount(before);
  await panel.getByRole("button", { name: /once more/ }).click();
  await expect(takes).toHaveCount(before + 1);
});

test("an upload that breaks off says so and goes on", async ({ page }) => {
  await newProduction(page, "The Lantern Ferry, broken upload");
  let allowed = false;
  await page.route("**/api/v1/uploads/*", (route) =>
    route.request().method() === "PATCH" && !allowed ? route.abort("connectionreset") : route.continue(),
  );
  await choose(page, [wav("Chain.wav", good())]);
  const panel = page.getByRole("region", { name: "Work on takes" });
  await expect(panel).toContainText("The connection broke off", { timeout: 40_000 });
  await expect(page.getByRole("listbox", { name: "Takes" }).getByRole("option")).toHaveCount(0);
  allowed = true;
  await page.getByRole("button", { name: "Try Chain.wav again" }).click();
  await expect(takeRow(page, /Chain/)).toBeVisible();
});

test("a channel is heard alone while it is pressed", async ({ page }) => {
  await page.goto("/");
  await page.getByRole("link", { name: /The Lantern Ferry(?!,)/ }).click();
  await takeRow(page, /12A.*take 3/).click();
  await expect(page.getByRole("heading", { name: "12A, take 3" })).toBeVisible(); // the take before has such a channel too
  const wave = page.getByRole("button", { name: "Listen to channel 4, Ines lav" });
  const box = (await wave.boundingBox())!;
  await page.mouse.move(box.x + box.width * 0.3, box.y + box.height / 2);
  await page.mouse.down();
  const head = wave.locator("span");
  await expect(head).toBeVisible();
  const first = (await head.boundingBox())!.x;
  await expect.poll(async () => (await head.boundingBox())?.x ?? 0).toBeGreaterThan(first);
  await page.mouse.up();
  await expect(head).toHaveCount(0);
});

test("the list is searched, filtered and walked by keys", async ({ page }) => {
  await page.goto("/");
  await page.getByRole("link", { name: /The Lantern Ferry(?!,)/ }).click();
  await expect(takeRow(page, /12A.*take 3/)).toBeVisible();
  await page.getByRole("button", { name: "Circled", exact: true }).click();
  await expect(page.getByRole("listbox", { name: "Takes" }).getByRole("option")).toHaveCount(5);
  await page.getByLabel("Find takes").fill("rope");
  await expect(page.getByRole("listbox", { name: "Takes" }).getByRole("option")).toHaveCount(1);
  await page.getByLabel("Find takes").fill("no such words");
  await expect(page.getByText("No take matches.")).toBeVisible();
  await page.getByLabel("Find takes").fill("");
  await page.getByRole("listbox", { name: "Takes" }).focus();
  await page.keyboard.press("ArrowDown");
  await expect(page.getByRole("listbox", { name: "Takes" }).getByRole("option", { selected: true })).toContainText("18C");
});

test("two channels are read as a pair", async ({ page }) => {
  await newProduction(page, "The Lantern Ferry, pairs");
  await bringIn(page, "Recorder card LF03", ["LF03"], ["LF03_12A_T02.wav"]);
  await takeRow(page, /12A.*take 2/).click();
  // The mix is one by its names; it is off until somebody wants it, and then both sides are on.
  await expect(page.getByRole("button", { name: "Channel 1 is L of a stereo pair" })).toBeVisible();
  await page.getByRole("switch", { name: "Unravel channel 1, Mix L" }).click();
  await expect(page.getByRole("switch", { name: "Unravel channel 2, Mix R" })).toBeChecked();
  await page.getByRole("button", { name: "Pair channel 3 with 4" }).click();
  await page.getByRole("button", { name: "Unravel 4 tracks onto a new reel" }).click();
  await expect(track(page, "Mix")).toContainText("stereo, bonded");
  await expect(track(page, "Tobiah lav")).toContainText("mono");
});

test("names are carried over a roll, and one undo takes that back", async ({ page }) => {
  await page.goto("/");
  await page.getByRole("link", { name: /The Lantern Ferry(?!,)/ }).click();
  await takeRow(page, /12A.*take 1/).click();
  await page.getByRole("button", { name: "Name of channel 4: Ines lav" }).click();
  await page.getByRole("combobox", { name: "Name of channel 4" }).fill("Ines, coat");
  await page.keyboard.press("Enter");
  await expect(page.getByText("in the file: Ines lav")).toBeVisible();
  await page.getByRole("button", { name: "Use these names for all of LF03" }).click();
  await expect(page.getByText("1 other take has these names now.")).toBeVisible();
  await takeRow(page, /12A.*take 2/).click();
  await expect(page.getByRole("button", { name: "Name of channel 4: Ines, coat" })).toBeVisible();
  await page.getByRole("button", { name: /^Undo: names for roll LF03/ }).click();
  await expect(page.getByRole("button", { name: "Name of channel 4: Ines lav" })).toBeVisible();
  await page.getByRole("button", { name: /^Undo: name channel 4/ }).click();
  await takeRow(page, /12A.*take 1/).click();
  await expect(page.getByRole("button", { name: "Name of channel 4: Ines lav" })).toBeVisible();
});
