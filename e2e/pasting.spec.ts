// What is copied goes wherever it can be pasted: clips of a band, a range with what lies in it, another place, another production, by the system's clipboard.
import { newProduction, bringIn, goTo, range, track, unravel } from "./rooms";
import { expect, test, type Page } from "./test";

type Clip = { id: string; take: string; track: string; start: number; offset: number; length: number };
type Reel = { id: string; head: { start: number; sampleRate: number }; tracks: { id: string; name: string }[]; clips: Clip[] };

const reelOf = async (page: Page): Promise<Reel> =>
  (await page.request.get(`/api/v1/reels/${page.url().split("/").at(-1)}`)).json() as Promise<Reel>;

/** The clips of a track by where they lie, in seconds of the reel: start, offset, length. */
function lying(reel: Reel, name: string): number[][] {
  const id = reel.tracks.find((t) => t.name === name)!.id;
  const s = (n: number) => Math.round((n / reel.head.sampleRate) * 1000) / 1000;
  return reel.clips
    .filter((c) => c.track === id)
    .sort((a, b) => a.start - b.start)
    .map((c) => [s(c.start - reel.head.start), s(c.offset), s(c.length)]);
}

async function aReel(page: Page, name: string) {
  await newProduction(page, name);
  await bringIn(page, "Recorder card LF03", ["LF03"], ["LF03_12A_T03.wav"]);
  await unravel(page, /12A.*take 3/);
  await expect(track(page, "Ines lav")).toBeVisible();
}

test("a range is cut, pasted and inserted, also in another production by the system's clipboard; a band takes clips", async ({
  page,
  context,
}) => {
  await context.grantPermissions(["clipboard-read", "clipboard-write"]);
  await aReel(page, "The Lantern Ferry, pasting");
  const before = await reelOf(page);
  const [[start, offset, length]] = lying(before, "Boom") as [[number, number, number]];
  const at = (seconds: number) => {
    const all = before.head.start / before.head.sampleRate + seconds;
    const two = (n: number) => String(Math.floor(n)).padStart(2, "0");
    return `${two(all / 3600)}:${two((all / 60) % 60)}:${two(all % 60)}:${two(Math.round((all % 1) * 25))}`;
  };

  await test.step("cut away", async () => {
    await track(page, "Boom").click();
    await range(page, at(start + 2), at(start + 4));
    await page.keyboard.press("Control+x");
    await expect(page.getByText("The range is copied.")).toBeVisible();
    await expect
      .poll(async () => lying(await reelOf(page), "Boom"))
      .toEqual([
        [start, offset, 2],
        [start + 4, offset + 4, length - 4],
      ]);
  });

  await test.step("pasted where it was, and inserted before something, which makes room", async () => {
    await page.keyboard.press("3");
    await page.keyboard.press("Control+Shift+v");
    await expect.poll(async () => lying(await reelOf(page), "Boom").length).toBe(3);
    expect(lying(await reelOf(page), "Boom")[1]).toEqual([start + 2, offset + 2, 2]);
    await goTo(page, at(start + 1));
    await page.keyboard.press("Control+Alt+v");
    const yes = page
      .getByRole("alertdialog")
      .or(page.getByRole("dialog"))
      .getByRole("button", { name: /all the same|Yes|anyway|Untie/i });
    await yes.click();
    await expect.poll(async () => lying(await reelOf(page), "Boom").length).toBe(5);
    expect(lying(await reelOf(page), "Boom")).toEqual([
      [start, offset, 1],
      [start + 1, offset + 2, 2],
      [start + 3, offset + 1, 1],
      [start + 4, offset + 2, 2],
      [start + 6, offset + 4, length - 4],
    ]);
    expect(lying(await reelOf(page), "Radio")).toEqual(lying(before, "Radio"));
  });

  await test.step("a band over rows takes what it touches", async () => {
    const rows = await page.getByRole("application", { name: "Clips" }).boundingBox();
    const boom = (await track(page, "Boom").boundingBox())!;
    const radio = (await track(page, "Radio").boundingBox())!;
    await page.keyboard.press("w");
    await page.keyboard.press("q"); // so that there is something empty beside them
    const y = (r: { y: number; height: number }) => r.y + r.height / 2 - 4;
    const left = rows!.x + 20;
    await page.mouse.move(left, y(boom));
    await page.mouse.down();
    await page.mouse.move(left + 60, y(radio), { steps: 3 });
    await page.mouse.move(left + 640, y(radio), { steps: 3 });
    await expect(page.getByText(/^\d+ clips/).first()).toBeVisible();
    await page.mouse.up();
    await page.keyboard.press("Control+c");
    await expect(page.getByText(/^\d+ clips are copied/)).toBeVisible();
    const text = JSON.parse(await page.evaluate(() => navigator.clipboard.readText())) as { is: string; clips: Clip[]; takes: object[] };
    expect(text).toMatchObject({ is: "zesty-loom clips", takes: [{ stream: 0 }] });
    expect(text.clips.length).toBeGreaterThan(5);
  });

  await test.step("into another production, where the same recording is another take", async () => {
    await track(page, "Boom").click();
    await range(page, at(start), at(start + 1));
    await page.keyboard.press("Control+c");
    await aReel(page, "The Lantern Ferry, pasted into");
    const there = await reelOf(page);
    expect(there.clips[0]!.take).not.toBe(before.clips[0]!.take);
    await track(page, "Radio").click();
    await goTo(page, at(start + length + 5));
    await page.keyboard.press("Control+v");
    await expect.poll(async () => (await reelOf(page)).clips.length).toBe(there.clips.length + 1);
    const now = await reelOf(page);
    expect(lying(now, "Radio").at(-1)).toEqual([start + length + 5, offset, 1]);
    expect(new Set(now.clips.map((c) => c.take)).size).toBe(1);
  });
});
