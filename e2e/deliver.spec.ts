// Any spec, any container: a spec made beside its live plan, a queue of prints, a movie with its streams and picture, discrete
// monos with leader, and a range; the files are read and compared.
import { spawnSync } from "node:child_process";
import { expect, test, type Page } from "./test";

import { bringIn, newProduction, scenario, unravel } from "./rooms";
import { readWave, type WaveFile } from "./wave";

async function download(page: Page, name: RegExp): Promise<string> {
  const [d] = await Promise.all([page.waitForEvent("download"), page.getByRole("link", { name }).click()]);
  return d.path();
}
const wave = async (page: Page, name: RegExp): Promise<WaveFile> => readWave(await download(page, name));

const proven = async (page: Page) =>
  expect(page.getByRole("heading", { name: /Delivered and proven|found wanting|refuses it/ })).toBeVisible({ timeout: 90_000 });

test("a spec is made in the editor beside its live plan, kept, chosen and printed", async ({ page }) => {
  await newProduction(page, "The Lantern Ferry, editor");
  await bringIn(page, "Sound library", ["music"], ["Accordion cue.wav"]);
  await unravel(page, /Accordion cue/);
  await page.getByRole("navigation", { name: "Rooms" }).getByRole("link", { name: "Print" }).click();
  await page.getByRole("button", { name: "Choose a delivery spec" }).first().click();
  const dialog = page.getByRole("dialog", { name: "Delivery spec" });
  await dialog
    .locator("li")
    .filter({ has: page.getByText("Promo kit", { exact: true }) })
    .getByRole("link", { name: "Change…" })
    .click();

  const plan = page.getByRole("region", { name: "What would be written" });
  const field = (path: string) => page.locator(`[id="root.${path}"]`);
  await expect(plan).toContainText("6 files");
  await expect(plan).toContainText("The_Lantern_Ferry_editor_Reel_1_MX_v1_reel.wav");
  await expect(plan.getByText("1 track: Accordion cue").first()).toBeVisible();
  await field("id").fill("ferry-music");
  await field("title").fill("Music of the ferry");
  await page.locator("summary").filter({ hasText: "Programme" }).click();
  await field("programme.handles").fill("0");
  await field("files.0.name").fill("{reel}_{tag}_{colour}");
  await expect(plan.getByRole("alert")).toContainText("{colour} is nothing that a name can be filled in with");
  await expect(page.getByRole("button", { name: "Keep this spec" })).toBeDisabled();
  await field("files.0.name").fill("{reel}_{tag}");
  await expect(plan).toContainText("Reel_1_MX.wav");
  await page.getByRole("tab", { name: "text" }).click();
  await expect(page.getByLabel("The spec as YAML")).toHaveValue(/id: ferry-music/);
  await page.getByRole("button", { name: "Keep this spec" }).click();
  await expect(page.getByText("Music of the ferry is kept")).toBeVisible();

  await page.getByRole("button", { name: "Choose a delivery spec" }).first().click();
  await dialog
    .locator("li")
    .filter({ has: page.getByText("Music of the ferry", { exact: true }) })
    .getByRole("button", { name: "Choose" })
    .click();
  await page.getByRole("button", { name: "Print 6 files" }).click();
  await proven(page);
  const music = await wave(page, /^Reel_1_MX\.wav/);
  const source = readWave(`${scenario}/library/music/Accordion cue.wav`);
  for (let i = 0; i < source.frames; i++)
    for (const c of [0, 1]) if (music.sample(i, c) !== source.sample(i, c)) throw new Error(`frame ${i} is not the cue's, bit for bit`);

  await test.step("what has not changed is linked in a second print, which is written to a folder of the server", async () => {
    await page.getByRole("link", { name: "The next print" }).click();
    await expect(page.getByText(/printing takes about \d+ s, less where nothing has changed/)).toBeVisible();
    await page.getByRole("button", { name: "Print 6 files" }).click();
    await proven(page);
    await expect(page.getByText(/unchanged since it was made on .*, so linked and not printed again/)).toHaveCount(6);
    const folder = page.getByLabel("Write it to a folder of the server");
    await folder.selectOption("Harbour Mile Television");
    await expect(page.getByText("Written to Harbour Mile Television as The_Lantern_Ferry_editor_Reel_1_ferry-music_v2")).toBeVisible();
    await folder.selectOption("Harbour Mile Television");
    await expect(page.getByText(/lies in Harbour Mile Television, whole/)).toBeVisible();
  });

  await test.step("the spec is changed, and what it was before is brought back", async () => {
    const change = async () => {
      await page.getByRole("button", { name: "Music of the ferry", exact: true }).click();
      await dialog.getByLabel("Find a spec").fill("music ferry yours");
      await expect(dialog.locator("li").filter({ has: page.getByRole("link", { name: "Change…" }) })).toHaveCount(1);
      await dialog.getByRole("link", { name: "Change…" }).click();
    };
    await change();
    await page.locator("summary").filter({ hasText: "Programme" }).click();
    await field("programme.handles").fill("3");
    await expect(page.getByRole("button", { name: "Keep this spec" })).toBeEnabled();
    await page.getByRole("button", { name: "Keep this spec" }).click();
    await expect(page.getByText(/can be chosen for every reel of this production/)).toBeVisible();
    await change();
    const version = page.getByLabel("Version of the spec");
    await expect(version).toHaveValue("2");
    await page.locator("summary").filter({ hasText: "Programme" }).click();
    await expect(field("programme.handles")).toHaveValue("3");
    await version.selectOption("1");
    await expect(field("programme.handles")).toHaveValue("0");
    await page.getByRole("button", { name: "Keep this spec" }).click();
    await change();
    await expect(version).toHaveValue("3");
    await page.getByRole("button", { name: "Remove…" }).click();
    await page.getByRole("button", { name: "Remove it for good" }).click();
    await expect(page.getByText("Music of the ferry is removed.")).toBeVisible();
  });
});

test("three prints wait in a queue: one changes places, one is stopped and tried again; a movie, six monos and splits come out", async ({
  page,
}) => {
  await page.goto("/");
  await page.getByRole("link", { name: /The Lantern Ferry(?!,)/ }).click();
  await page.getByRole("navigation", { name: "Rooms" }).getByRole("link", { name: "Print" }).click();
  await expect(page.getByRole("heading", { name: "What will be written" })).toBeVisible();
  await page.getByRole("button", { name: "print several…" }).click();
  const several = page.getByRole("dialog", { name: "Print several" });
  await several.getByRole("checkbox", { name: "Reel 1, Crossing" }).check();
  for (const spec of ["Stereo, mono, mono, stereo in a movie", "Film-order monos and stereo", "Promo kit", "Stereo splits in one movie"])
    await several.getByRole("checkbox", { name: spec, exact: true }).check();
  await several.getByRole("button", { name: "Queue 4 prints" }).click();
  await expect(several).toBeHidden();
  const queue = page.getByRole("region", { name: "Queue" });
  const last = queue.getByRole("button", { name: /^Stop / }).last();
  const stopped = (await last.getAttribute("aria-label"))!.replace("Stop ", "");
  await last.click();
  const again = queue.getByRole("button", { name: `Try ${stopped} again` });
  await expect(again).toBeVisible();
  await again.click();
  await expect(queue.getByRole("button", { name: /^Stop / })).toHaveCount(0, { timeout: 120_000 });
  await expect(queue).toContainText("Nothing waits");

  const made = (title: string) => page.getByRole("complementary").getByRole("link").filter({ hasText: title }).first();
  await test.step("the promo kit, to compare with", async () => {
    await made("Promo kit").click();
    await proven(page);
  });
  const music = await wave(page, /_MX_v\d+_reel\.wav/);

  await test.step("a movie with stereo, mono, mono, stereo and the picture, as another program sees it", async () => {
    await made("Stereo, mono, mono, ster").click();
    await expect(page.getByRole("heading", { name: "Delivered and proven" })).toBeVisible();
    const file = await download(page, /_PROMO_reel\.mov/);
    const probe = spawnSync("ffprobe", ["-v", "error", "-show_streams", "-of", "json", file], { encoding: "utf8" });
    const streams = (
      JSON.parse(probe.stdout) as {
        streams: {
          codec_type: string;
          channels?: number;
          duration_ts?: number;
          nb_frames?: string;
          tags?: Record<string, string>;
          disposition: { default: number };
        }[];
      }
    ).streams;
    const sound = streams.filter((s) => s.codec_type === "audio");
    expect(sound.map((s) => s.channels)).toEqual([2, 1, 1, 2]);
    expect(sound.map((s) => s.tags?.handler_name)).toEqual(["Full mix", "Dialogue", "Narration", "Music"]);
    expect(sound.map((s) => s.tags?.language)).toEqual(["eng", "eng", "eng", undefined]);
    expect(sound.map((s) => s.disposition.default)).toEqual([1, 0, 0, 0]);
    expect(streams.filter((s) => s.codec_type === "video")).toHaveLength(1);
    const pcm = spawnSync("ffmpeg", ["-v", "error", "-i", file, "-map", "0:a:3", "-f", "s24le", "-"], { maxBuffer: 1 << 28 }).stdout;
    const handles = 10 * 1920; // with which the kit's files begin
    expect(pcm.length / 6).toBe(music.frames - 2 * handles);
    for (let i = 0; i < pcm.length / 6; i += 5) {
      for (const c of [0, 1])
        if (Math.abs(pcm.readIntLE(i * 6 + c * 3, 3) - music.sample(i + handles, c)) > 4)
          throw new Error(`frame ${i} of the movie's music is not that of the kit`);
    }
  });

  await test.step("six monos in film order with leader", async () => {
    await made("Film-order monos").click();
    await proven(page);
    const names = await page.getByRole("link", { name: /_M51_\d\.\w+\.wav/ }).allTextContents();
    expect(names.map((n) => /_M51_(\d\.\w+)\.wav/.exec(n)![1])).toEqual(["1.L", "2.C", "3.R", "4.Ls", "5.Rs", "6.LFE"]);
    const left = await wave(page, /_M51_1\.L\.wav/);
    expect(left).toMatchObject({ channels: 1, bits: 24, timeReference: (36000 - 60) * 48000 });
    let tone = 0;
    for (let i = 0; i < 48000; i++) tone = Math.max(tone, Math.abs(left.sample(i, 0)));
    expect(20 * Math.log10(tone / 2 ** 23)).toBeCloseTo(-18, 1);
  });
});

test("a range of the reel is printed, stamped where it lies", async ({ page }) => {
  await page.goto("/");
  await page.getByRole("link", { name: /The Lantern Ferry(?!,)/ }).click();
  await page.getByRole("navigation", { name: "Rooms" }).getByRole("link", { name: "Print" }).click();
  await page.getByLabel("Which part of the reel is printed").selectOption("typed");
  const range = page.getByLabel("Range as two timecodes");
  await range.fill("10:00:12:00–10:00:10:00");
  await range.press("Enter");
  await expect(page.getByText(/ends before it begins/)).toBeVisible();
  await range.fill("10:00:10:00–10:00:12:00");
  await range.press("Enter");
  await expect(page.getByText(/The spec asks for a start at 10:00:00:00 and the reel starts at 10:00:10:00/)).toBeVisible();
  await page.getByRole("button", { name: "Stamp the files from 10:00:00:00 on" }).click();
  await expect(page.getByText("The files are stamped from 10:00:00:00 on")).toBeVisible();
  await page.getByRole("button", { name: /^Print the file/ }).click();
  await proven(page);
  const file = await wave(page, /_MIX\.wav/);
  expect(file).toMatchObject({ frames: 96000, timeReference: 36000 * 48000 });
});
