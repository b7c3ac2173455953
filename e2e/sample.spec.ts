// To the sample: where a cut falls, by how much something is nudged, what catches.
import { bringIn, goTo, newProduction, scenario, track, unravel } from "./rooms";
import { expect, test, type Page } from "./test";
import { readWave } from "./wave";

type Clip = { id: string; track: string; start: number; offset: number; length: number; channels: number[] };
type Reel = { tracks: { id: string; name: string }[]; clips: Clip[] };
const reelOf = async (page: Page): Promise<Reel> =>
  (await page.request.get(`/api/v1/reels/${page.url().split("/").at(-1)!.replace(/\?.*/, "")}`)).json() as Promise<Reel>;

test("a cut falls where the sound crosses zero, clips are nudged by a sample, and each kind of catch is on or off by itself", async ({
  page,
}) => {
  await newProduction(page, "The Lantern Ferry, to the sample");
  await bringIn(page, "Recorder card LF03", ["LF03"], ["LF03_12A_T03.wav"]);
  await unravel(page, /12A.*take 3/);
  await expect(track(page, "Boom")).toBeVisible();
  const source = readWave(`${scenario}/card/LF03/LF03_12A_T03.wav`);
  const of = async (name: string) => {
    const reel = await reelOf(page);
    const id = reel.tracks.find((t) => t.name === name)!.id;
    return reel.clips.filter((c) => c.track === id).sort((a, b) => a.start - b.start);
  };
  const snap = page.getByRole("button", { name: /^Snap: / });

  await test.step("a zero crossing of the channel that is cut", async () => {
    await snap.click();
    await page.getByRole("menuitemcheckbox", { name: /Zero crossings/ }).click();
    await page.keyboard.press("Escape");
    await track(page, "Boom").click();
    for (const [i, at] of ["10:00:35:00", "10:00:38:13", "10:00:44:07"].entries()) {
      await goTo(page, at);
      await page.keyboard.press("Shift+C");
      await expect.poll(async () => (await of("Boom")).length).toBe(i + 2);
    }
    const pieces = await of("Boom");
    for (const piece of pieces.slice(1)) {
      const [a, b] = [source.sample(piece.offset - 1, piece.channels[0]!), source.sample(piece.offset, piece.channels[0]!)];
      expect(Math.sign(a) * Math.sign(b), `${a} and ${b} at ${piece.offset}`).toBeLessThanOrEqual(0);
    }
    expect(
      pieces.slice(1).some((p) => (p.start - pieces[0]!.start) % 1920 !== 0),
      "they do not fall onto frames",
    ).toBe(true);
  });

  await test.step("nudged by a sample, by a millisecond, by as much as was chosen", async () => {
    const before = (await of("Boom"))[3]!;
    await page.keyboard.press("Shift+W");
    for (const [unit, by] of [
      ["1 second", 48000],
      ["1 sample", 1],
      ["1 ms", 48],
    ] as const) {
      await page.keyboard.press("Alt+n");
      await expect(page.getByText(`Nudged and slipped by ${unit}.`)).toBeVisible();
      const was = (await of("Boom")).find((c) => c.id === before.id)!.start;
      await page.keyboard.press("Alt+ArrowRight");
      const consent = page.getByRole("dialog", { name: "This breaks sync" });
      await expect(consent.or(page.getByRole("button", { name: /^Undo: move/ }))).toBeVisible();
      if (await consent.isVisible()) await consent.getByRole("button").last().click();
      await expect.poll(async () => (await of("Boom")).find((c) => c.id === before.id)!.start - was, { message: unit }).toBe(by);
    }
  });

  await test.step("the playhead goes to the sample where nothing keeps it to frames", async () => {
    const area = (await page.locator(".time-area").boundingBox())!;
    const perPixel = Number(await page.locator(".time-area").getAttribute("data-per-pixel"));
    const left = Number(await page.locator(".time-area").getAttribute("data-left"));
    await snap.click();
    await page.getByRole("menuitemcheckbox", { name: "Whole frames" }).click();
    await page.keyboard.press("Escape");
    const row = (await track(page, "Radio").boundingBox())!;
    await page.mouse.click(area.x + 123, row.y + 12);
    await page.keyboard.press("m");
    await expect(page.getByRole("button", { name: /^Undo: .*mark/i })).toBeVisible();
    const marks = ((await (await page.request.get(`/api/v1/reels/${page.url().split("/").at(-1)}`)).json()) as { marks: { at: number }[] })
      .marks;
    expect(Math.abs(marks[0]!.at - Math.round(left + 123 * perPixel))).toBeLessThanOrEqual(1);
  });
});

test("the reel is played backwards, down to its start", async ({ page }) => {
  await newProduction(page, "The Lantern Ferry, backwards");
  await bringIn(page, "Recorder card LF03", ["LF03"], ["LF03_12A_T03.wav"]);
  await unravel(page, /12A.*take 3/);
  await expect(track(page, "Boom")).toBeVisible();
  await goTo(page, "10:00:40:00");
  const position = page.getByRole("button", { name: /^Position/ });
  await page.keyboard.press("Alt+Shift+B");
  await expect(page.getByRole("button", { name: "Stop", exact: true })).toBeVisible();
  await expect(position).toHaveText(/^10:00:3[0-8]/, { timeout: 20_000 });
  await expect(page.getByLabel("What is heard")).toBeHidden(); // what runs backwards is not measured
  await page.keyboard.press("Alt+Shift+B");
  await expect(page.getByRole("button", { name: "Play", exact: true })).toBeVisible();
  await expect(position).toHaveText(/^10:00:3/);

  // From the start nothing lies before.
  await page.keyboard.press("Home");
  await page.keyboard.press("Alt+Shift+B");
  await expect(page.getByRole("button", { name: "Play", exact: true })).toBeVisible();
  await expect(position).toHaveText("10:00:00:00");
});
