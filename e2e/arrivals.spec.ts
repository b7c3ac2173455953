// What arrives: files that belong together, movies, readings, batches. The files that come out are read byte for byte.
import { expect, test, type Page } from "./test";

import { bringIn, chosen, newProduction, scenario, takeRow, track } from "./rooms";
import { readWave } from "./wave";

const second = (take: string, files: number) => Array.from({ length: files }, (_, i) => `B02_18C_T0${take}_${i + 1}.wav`);

async function written(page: Page, file: string) {
  const [d] = await Promise.all([page.waitForEvent("download"), page.getByRole("link", { name: file, exact: true }).click()]);
  return readWave(await d.path());
}

test("monos become one take, which can be taken apart", async ({ page }) => {
  await newProduction(page, "The Lantern Ferry, monos");
  await bringIn(page, "Recorder card B02", ["B02"], [...second("1", 4), ...second("3", 3)]);
  const rows = page.getByRole("listbox", { name: "Takes" }).getByRole("option");
  await expect(takeRow(page, /18C.*take 1.*4 files/)).toBeVisible();
  await expect(rows).toHaveCount(4); // the other three differ in length, so nobody joins them unasked

  await test.step("the grouping says why", async () => {
    await takeRow(page, /18C.*take 1/).click();
    await page.getByRole("button", { name: "Why, and which files" }).click();
    await expect(page.getByText("The recorder wrote them as one set of 4 files (iXML)")).toBeVisible();
    await expect(page.getByText("B02_18C_T01_4.wav")).toBeVisible();
  });
  await test.step("it is taken apart, and undo puts it together", async () => {
    await page.getByRole("button", { name: "Take apart" }).click();
    await expect(rows).toHaveCount(7);
    await page.getByRole("button", { name: /^Undo: take 18C\/1 apart/ }).click();
    await expect(rows).toHaveCount(4);
  });
  await test.step("by hand others are joined, with what speaks against it said before", async () => {
    await takeRow(page, /18C.*take 3/)
      .first()
      .click();
    await takeRow(page, /18C.*take 3/)
      .last()
      .click({ modifiers: ["Shift"] });
    await expect(page.getByRole("heading", { name: "3 takes" })).toBeVisible();
    await expect(page.getByText("Against it: their lengths differ by 48000 sample frames")).toBeVisible();
    await page.getByRole("button", { name: "Make them one take all the same" }).click();
    await expect(page.getByRole("heading", { name: "18C, take 3" })).toBeVisible();
    await expect(page.getByText("although something speaks against it")).toBeVisible();
    await expect(rows).toHaveCount(2);
  });
  await test.step("and tied tracks come of it", async () => {
    await takeRow(page, /18C.*take 1/).click();
    await expect(page.getByRole("heading", { name: "18C, take 1" })).toBeVisible();
    await page.getByRole("button", { name: "Name of channel 2: Ines lav" }).click();
    await page.getByRole("combobox", { name: "Name of channel 2" }).fill("Ines, coat");
    await page.keyboard.press("Enter");
    await page.getByRole("button", { name: "Unravel 4 tracks onto a new reel" }).click();
    await track(page, "Ines, coat").click();
    await expect(chosen(page).getByText("tied to 3 other clips")).toBeVisible();
  });
});

test("a batch plies takes to files that are the sources' samples", async ({ page }) => {
  await newProduction(page, "The Lantern Ferry, batch");
  await bringIn(page, "Recorder card B02", ["B02"], second("1", 4));
  await bringIn(page, "Recorder card LF03", ["LF03"], ["LF03_12A_T02.wav"]);
  await expect(takeRow(page, /18C.*take 1.*4 files/)).toBeVisible();
  await takeRow(page, /12A.*take 2/).click();
  await takeRow(page, /18C.*take 1/).click({ modifiers: ["Control"] });
  await expect(page.getByRole("heading", { name: "2 takes" })).toBeVisible();
  await page.getByRole("button", { name: "Ply 2 takes to one file each" }).click();
  const panel = page.getByRole("region", { name: "Work on takes" });
  await expect(panel).toContainText("2 files written");
  await panel.getByRole("button", { name: "Show them" }).click();
  const poly = await written(page, "B02_18C_T1.wav");
  expect(poly.channels).toBe(4);
  const names = [...poly.ixml.matchAll(/<NAME>([^<]+)<\/NAME>/g)].map((m) => m[1]);
  expect(names).toEqual(["Boom", "Ines lav", "Tobiah lav", "Deck plant"]);
  for (const [channel, file] of second("1", 4).entries()) {
    const mono = readWave(`${scenario}/second/B02/${file}`);
    expect(poly.frames).toBe(mono.frames);
    expect(poly.timeReference).toBe(mono.timeReference);
    for (let i = 0; i < mono.frames; i++) if (poly.sample(i, channel) !== mono.sample(i, 0)) throw new Error(`${file}: frame ${i} differs`);
  }
  const isos = await written(page, "LF03_12A_T2.wav");
  const source = readWave(`${scenario}/card/LF03/LF03_12A_T02.wav`);
  expect(isos.channels).toBe(4); // the mix is left out, as unravel leaves it out
  for (let i = 0; i < source.frames; i++) if (isos.sample(i, 0) !== source.sample(i, 2)) throw new Error(`frame ${i} of the boom differs`);
});

test("channels are read as a set, as a sum, and singly again", async ({ page }) => {
  await newProduction(page, "The Lantern Ferry, readings");
  await bringIn(
    page,
    "Sound library",
    ["ambience"],
    [
      "River bank L.wav",
      "River bank R.wav",
      "River bank C.wav",
      "River bank LFE.wav",
      "River bank Ls.wav",
      "River bank Rs.wav",
      "Deck field.wav",
    ],
  );
  await expect(takeRow(page, /River bank.*5\.1/)).toBeVisible();
  await expect(takeRow(page, /Deck field/)).toContainText("sound field");
  await takeRow(page, /River bank/).click();
  await expect(page.getByRole("button", { name: "Unravel 1 track onto a new reel" })).toBeVisible();
  await page.getByRole("button", { name: "Channel 4 is LFE of a 5.1 set" }).click();
  await page.getByRole("menuitem", { name: "Read each channel by itself" }).click();
  await expect(page.getByRole("button", { name: "Unravel 6 tracks onto a new reel" })).toBeVisible();
  await page.getByLabel("Mark channel 1").click();
  await page.getByLabel("Mark channel 2").click();
  await page.getByRole("button", { name: "Read together as…" }).click();
  await page.getByRole("menuitem", { name: "Stereo pair", exact: true }).click();
  await expect(page.getByRole("button", { name: "Unravel 5 tracks onto a new reel" })).toBeVisible();
  await page.getByRole("button", { name: "Channel 1 is L of a stereo pair" }).click();
  await page.getByRole("menuitem", { name: "Change the sides over" }).click();
  await expect(page.getByRole("button", { name: "Channel 1 is R of a stereo pair" })).toBeVisible();
  await page.getByRole("button", { name: "Channel 1 is R of a stereo pair" }).click();
  await page.getByRole("menuitem", { name: /Use the sum/ }).click();
  await expect(page.getByRole("button", { name: "Channel 2 is Σ of a sum of 2" })).toBeVisible();
  await page.getByRole("button", { name: "Unravel 5 tracks onto a new reel" }).click();
  await expect(page.getByRole("group", { name: "Tracks" })).toBeVisible();
});

test("stems are decided, suggested by a rule of one's own, and filled from a report", async ({ page }) => {
  await newProduction(page, "The Lantern Ferry, stems");
  await bringIn(page, "Recorder card LF03", ["LF03"], ["LF03_14_T01.wav"]);
  await takeRow(page, /14.*take 1/).click();
  await page.getByRole("button", { name: "For all takes: sound report, stems and rules" }).click();
  await page.getByRole("menuitem", { name: "Stems, strands and rules…" }).click();
  const dialog = page.getByRole("dialog", { name: "Stems, rules and words" });
  await dialog.getByLabel("Strands of Dialogue").fill("Ines Calder, Tobiah Renn");
  await dialog.getByRole("button", { name: "A rule", exact: true }).click();
  await dialog.getByLabel("Words of rule 1").fill("ines");
  await dialog.getByLabel("Strand of rule 1").selectOption("Ines Calder");
  await dialog.getByRole("button", { name: "Keep it all" }).click();
  await expect(page.getByRole("button", { name: "Stem of channel 2: DX, Ines Calder, suggested" })).toBeVisible();
  await page.getByRole("button", { name: "Stem of channel 4: AX, suggested" }).click();
  await page.getByRole("menuitem", { name: "Effects" }).click();
  await expect(page.getByRole("button", { name: "Stem of channel 4: FX", exact: true })).toBeVisible();
  await page.getByLabel("Sound report to read").setInputFiles({
    name: "report.csv",
    mimeType: "text/csv",
    buffer: Buffer.from("Scene,Take,Notes,Circled,Track 1\n14,1,wind on the boom,,Boom far\n99,1,,,\n"),
  });
  await expect(page.getByText("1 take filled from the report. No take here is 99/1.")).toBeVisible();
  await expect(page.getByRole("button", { name: "Note: wind on the boom" })).toBeVisible();
  await expect(page.getByRole("button", { name: "Name of channel 1: Boom far" })).toBeVisible();
});
