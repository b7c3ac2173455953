// Where what arrives belongs: files with time stamps are laid where these say, whatever they are called, and what probably is not
// meant is asked about. The files are made here.
import { expect, test, type Page } from "./test";

import { newProduction, takeRow, track } from "./rooms";
import { monoFile } from "./wave";

const rate = 48_000;

/** A second of a tone, recorded at a time of day. */
function second(hours: number | null): Buffer {
  const data = Buffer.alloc(rate * 3);
  for (let i = 0; i < rate; i++) data.writeIntLE(Math.round(0.1 * 0x7fffff * Math.sin(i / 20)), i * 3, 3);
  return monoFile(data, rate, hours ?? undefined);
}

async function arrive(page: Page, files: Record<string, number | null>) {
  await page
    .getByRole("button", { name: /^Bring in/ })
    .first()
    .click();
  await page
    .getByLabel(/From this computer/)
    .setInputFiles(Object.entries(files).map(([name, hours]) => ({ name: `${name}.wav`, mimeType: "audio/wav", buffer: second(hours) })));
  for (const name of Object.keys(files)) await expect(takeRow(page, name)).toBeVisible({ timeout: 30_000 });
  await page.keyboard.press("Escape");
}

type View = { head: { start: number }; clips: { name: string; start: number }[] };

const view = async (page: Page) => {
  const id = /loom\/([0-9a-f-]+)/.exec(page.url())![1]!;
  return (await (await page.request.get(`/api/v1/reels/${id}`)).json()) as View;
};

/** Where each clip lies, in seconds since midnight. */
const places = async (page: Page) => Object.fromEntries((await view(page)).clips.map((c) => [c.name, c.start / rate]));

test("files with the same stamp lie at the same place whatever they are called, and what is far from them is asked about", async ({
  page,
}) => {
  await newProduction(page, "The Lantern Ferry, placing");
  const names = ["VO", "Waltz", "Wind", "River bed", "Winch", "Bell"]; // guessed to be voice, music, ambience and effects
  await arrive(page, Object.fromEntries(names.map((name) => [name, 1])));
  await takeRow(page, names[0]!).click();
  await expect(page.getByText("At its time stamp, 01:00:00:00, tied together.")).toBeVisible();
  await page.getByRole("listbox", { name: "Takes" }).press("Control+a");
  await page.getByRole("button", { name: "Lay 6 takes onto a new reel…" }).click();
  const table = page.getByRole("dialog", { name: /^Lay them onto a new reel/ });
  await expect(table.getByLabel("Start of the reel")).toHaveValue("01:00:00:00");
  for (const name of names) await expect(table.getByLabel(`Place of ${name}`, { exact: true })).toHaveValue("01:00:00:00");
  await expect(table.getByText("6 have time stamps")).toBeVisible();
  await table.getByRole("button", { name: "Lay them", exact: true }).click();
  await expect(track(page, "Winch")).toBeVisible();
  expect((await view(page)).head.start).toBe(3600 * rate);
  expect(Object.values(await places(page))).toEqual(names.map(() => 3600));
  await expect(page.getByRole("button", { name: /^Position 01:00:00:00/ })).toBeVisible();

  // One that was recorded in the afternoon, and one without a stamp.
  await page.getByRole("navigation", { name: "Rooms" }).getByRole("link", { name: "Takes" }).click();
  await arrive(page, { Chain: 14, Stray: null });
  await takeRow(page, "Chain").click();
  await page.getByRole("button", { name: /^Unravel 1 track onto Reel 1/ }).click();
  const one = page.getByRole("dialog", { name: "Lay it onto Reel 1" });
  await expect(one.getByText("It would lie 13.0 h from all else on the reel")).toBeVisible();
  await expect(one.getByRole("button", { name: "Lay it all the same" })).toBeVisible();
  await one.getByLabel("Place of Chain").fill("01:00:02:00");
  await one.getByLabel("Place of Chain").press("Enter");
  await expect(one.getByText("As you say")).toBeVisible();
  await expect(one.getByRole("button", { name: "14:00:00:00 by its time stamp" })).toBeVisible();
  await one.getByRole("button", { name: "Lay it", exact: true }).click();
  await expect(track(page, "Chain")).toBeVisible();
  expect((await places(page)).Chain).toBe(3602);
  await expect(page.getByRole("button", { name: /^Position 01:00:02:00/ })).toBeVisible();

  await page.getByRole("navigation", { name: "Rooms" }).getByRole("link", { name: "Takes" }).click();
  await takeRow(page, "Stray").click();
  await expect(page.getByText("At the start of the reel; nothing tells where it belongs.")).toBeVisible();
  await page.getByRole("button", { name: /^Unravel 1 track onto Reel 1/ }).click();
  await expect(track(page, "Stray")).toBeVisible();
  expect((await places(page)).Stray).toBe(3600);
});
