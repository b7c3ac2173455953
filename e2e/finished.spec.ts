// A finished mix that came back as six mono files: from its arrival to stereo, mono, mono, stereo with one confirmation.
import { expect, test } from "./test";

import { bringIn, crossing, meets, newProduction, scenario, takeRow, track } from "./rooms";
import { readWave } from "./wave";

const splits = `id: promo-splits
title: Promo splits
container: wave
sampleRate: 48000
bitDepth: 24
packaging: [interleaved]
naming: {interleaved: "{reel}_PROMO", per-group: "{reel}_{tag}"}
groups:
  - {id: full, name: Full mix, tag: MIX, layout: stereo, stems: [DX, NX, MX]}
  - {id: voice, name: Dialogue, tag: DX, layout: mono, stems: [DX]}
  - {id: narrator, name: Narration, tag: NX, layout: mono, stems: [NX]}
  - {id: music, name: Music, tag: MX, layout: stereo, stems: [MX]}
`;

const files = ["MIX.L", "MIX.R", "DIALOGUE", "NARRATION", "MUSIC.L", "MUSIC.R"].map((part) => `Crossing promo ${part}.wav`);

test("six monos of a finished mix are laid, paired and routed with one confirmation, and printed sample for sample", async ({ page }) => {
  await newProduction(page, "The Lantern Ferry, promo");
  await bringIn(page, "Sound library", ["promo"], files);
  // Pairs are joined when the last file is in.
  await expect(takeRow(page, /promo MIX.*2 files/)).toBeVisible();
  await expect(takeRow(page, /promo MUSIC.*2 files/)).toBeVisible();
  await expect(page.getByRole("listbox", { name: "Takes" }).getByRole("option")).toHaveCount(4);
  await takeRow(page, /promo MIX/).click();
  await page.keyboard.press("Control+a");
  await expect(page.getByRole("heading", { name: "4 takes" })).toBeVisible();
  await page.getByRole("button", { name: "Lay 4 takes onto a new reel…" }).click();
  const dialog = page.getByRole("dialog", { name: "Lay them onto a new reel" });
  await expect(dialog.getByRole("row", { name: /^MIX the full mix stereo Full mix, stereo \(new\)/ })).toBeVisible();
  await expect(dialog.getByRole("row", { name: /^NARRATION narration mono Narration, mono \(new\)/ })).toBeVisible();
  await dialog.getByRole("button", { name: "Lay them", exact: true }).click();

  await expect(track(page, "MIX")).toBeVisible();
  for (const [row, column] of [
    ["MIX", "Full mix L"],
    ["MIX", "Full mix R"],
    ["DIALOGUE", "Dialogue M"],
    ["NARRATION", "Narration M"],
    ["MUSIC", "Music L"],
    ["MUSIC", "Music R"],
  ] as const)
    await meets(page, `Track ${row}`, column, /feeds the whole group/);
  await meets(page, "Track MIX", "Music L", /no knot/);
  await expect(page.getByRole("button", { name: /routes? to look at/ })).toHaveCount(0);

  await page.getByTitle("The delivery spec that the outputs come from").click();
  await page
    .getByLabel("Bring in a spec (YAML)…")
    .setInputFiles({ name: "promo.yaml", mimeType: "application/yaml", buffer: Buffer.from(splits) });
  await page
    .getByRole("dialog", { name: "Delivery spec" })
    .locator("li")
    .filter({ has: page.getByText("Promo splits", { exact: true }) })
    .getByRole("button")
    .click();
  await expect(await crossing(page, "Track MIX", "Full mix L")).toHaveAccessibleName(/feeds the whole group/);
  await page.getByRole("navigation", { name: "Rooms" }).getByRole("link", { name: "Print" }).click();
  await page.getByRole("button", { name: "Print the file" }).click();
  await expect(page.getByRole("heading", { name: /Delivered and proven|found wanting|refuses it/ })).toBeVisible({ timeout: 60_000 });
  const [download] = await Promise.all([page.waitForEvent("download"), page.getByRole("link", { name: /_PROMO\.wav/ }).click()]);
  const printed = readWave(await download.path());
  expect(printed.channels).toBe(6);
  files.forEach((file, channel) => {
    const source = readWave(`${scenario}/library/promo/${file}`);
    let worst = 0;
    for (let i = 0; i < source.frames; i++) worst = Math.max(worst, Math.abs(printed.sample(i, channel) - source.sample(i, 0)));
    expect(worst, `${file} is output ${channel + 1}, sample for sample`).toBe(0);
  });
});
