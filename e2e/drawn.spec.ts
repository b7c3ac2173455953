// What is drawn of sound is what sounds: the canvas held against samples, at every zoom.
import { expect, test, type Page } from "./test";

import { bringIn, goTo, newProduction, scenario, track, unravel } from "./rooms";
import { readWave } from "./wave";

type Clip = { id: string; track: string; take: string; start: number; offset: number; length: number; channels: number[] };
type View = { revision: number; clips: Clip[]; tracks: { id: string; name: string }[] };

const addressOf = (page: Page) => `/api/v1/reels/${page.url().split("/").at(-1)!.replace(/\?.*/, "")}`;
const reelOf = async (page: Page): Promise<View> => (await (await page.request.get(addressOf(page))).json()) as View;
const boomOf = (view: View) => view.clips.find((c) => c.track === view.tracks.find((t) => t.name === "Boom")!.id)!;

/** A reel of one take, drawn as it is and raised, so that words fill their row. */
async function aReel(page: Page, name: string) {
  await newProduction(page, name);
  await bringIn(page, "Recorder card LF03", ["LF03"], ["LF03_12A_T03.wav"]);
  await unravel(page, /12A.*take 3/);
  await expect(track(page, "Ines lav")).toBeVisible();
  await page.keyboard.press("Alt+v");
  for (let i = 0; i < 3; i++) await page.keyboard.press("Alt+t");
  await expect(page.getByText("linear +18")).toBeVisible();
}

/** How far up and down of its middle a column of the row is inked, in pixels. */
async function columnsOf(page: Page, row: string, columns: number[]) {
  const box = (await page.locator(".time-area").boundingBox())!;
  const middle = Math.round((await track(page, row).boundingBox())!.y - box.y) + 4 + 2 + 14.5;
  return page.evaluate(
    ({ columns, middle }) => {
      const g = document.querySelector<HTMLCanvasElement>(".time-area canvas")!.getContext("2d")!;
      return columns.map((x) => {
        const { data } = g.getImageData(x, Math.round(middle - 15), 1, 30);
        // Of the clip itself there is but a breath of its dye, and what a fade takes away is paler.
        const inked = (i: number) => data[i * 4 + 3]! > 135 && data[i * 4 + 2]! < 104;
        let up = 0;
        while (up < 14 && inked(14 - up)) up++;
        let down = 0;
        while (down < 14 && inked(15 + down)) down++;
        const line = (i: number) => data[i * 4 + 3]! > 150 && data[i * 4]! < 110; // of a fade, in ink
        return { up, down, crossed: Array.from({ length: 10 }, (_, i) => line(15 + i)).some(Boolean) };
      });
    },
    { columns, middle },
  );
}

/** The lowest and highest of samples of the reel, as pixels from the middle. */
function tall(sound: (sample: number) => number, from: number, to: number) {
  let [low, high] = [0, 0];
  for (let n = Math.round(from); n < Math.max(Math.round(to), Math.round(from) + 1); n++) {
    const v = sound(n);
    low = Math.min(low, v);
    high = Math.max(high, v);
  }
  const pixels = (v: number) => Math.min(1, v * 10 ** (18 / 20)) * 14.5;
  return { up: pixels(high), down: pixels(-low) };
}

/**
 * Goes closer, zoom by zoom, and holds each column of Boom's row to the sound; of what was worked on only what lies below the middle, as far as the
 * stitches at the foot: its upper half is under its name.
 */
async function everyZoom(page: Page, sound: (sample: number) => number, zooms: number, worked = false) {
  const area = page.locator(".time-area");
  let seen = 0;
  for (let zoom = 0; zoom < zooms; zoom++) {
    for (let i = 0; i < 2; i++) await page.keyboard.press("e");
    await page.waitForTimeout(700); // what is nearer has to come
    const left = Number(await area.getAttribute("data-left"));
    const perPixel = Number(await area.getAttribute("data-per-pixel"));
    if (perPixel <= 1 || perPixel > 12_000) continue;
    const columns = Array.from({ length: 40 }, (_, i) => 330 + i * 7);
    const drawn = await columnsOf(page, "Boom", columns);
    columns.forEach((x, i) => {
      const from = left + x * perPixel;
      const bin = perPixel < 128 ? 0.5 : 128; // a bin may belong to the pixel beside
      const most = tall(sound, from - bin, from + perPixel + bin);
      const least = tall(sound, from + bin, from + perPixel - bin);
      if (worked && drawn[i]!.crossed) return;
      const seeable = (pixels: number) => (worked ? Math.min(10, pixels) : pixels);
      for (const way of worked ? (["down"] as const) : (["up", "down"] as const)) {
        const words = `${way} at ${perPixel} samples a pixel, column ${x}, sample ${Math.round(from)}`;
        expect(seeable(drawn[i]![way]), words).toBeLessThan(seeable(most[way]) + 1.6);
        expect(seeable(drawn[i]![way]), words).toBeGreaterThan(perPixel > 2 * bin ? seeable(least[way]) - 1.9 : -1);
      }
      seen++;
    });
  }
  return seen;
}

test("what is drawn of a clip is what its file has, to a pixel, at every zoom", async ({ page }) => {
  await aReel(page, "The Lantern Ferry, drawn");
  const clip = boomOf(await reelOf(page));
  const file = readWave(`${scenario}/card/LF03/LF03_12A_T03.wav`);
  await goTo(page, "10:00:36:10"); // within words
  const sound = (n: number) => file.sample(n - clip.start + clip.offset, clip.channels[0]!) / 2 ** 23;
  expect(await everyZoom(page, sound, 10)).toBeGreaterThan(150);
});

test("what is drawn of a clip that was worked on is what it sounds like, to a pixel, for every kind of edit and at every zoom", async ({
  page,
}) => {
  test.setTimeout(180_000);
  await aReel(page, "The Lantern Ferry, drawn as edited");
  const before = boomOf(await reelOf(page));
  const at = (seconds: number) => before.start + Math.round(seconds * 48000);
  const it = { clip: before.id, channel: 0 };
  const edits: [string, object][] = [
    ["untie", { clips: [before.id] }],
    ["trimClip", { clip: before.id, edge: "start", by: at(2.3) - before.start }],
    ["setClip", { clip: before.id, gainDB: -3, fadeIn: { length: 14400, curve: "power" } }],
    ["setLane", { ...it, gainDB: 2, delay: 1201, invert: true, fadeIn: { length: 4800 } }],
    ["hush", { ...it, from: at(4.6), to: at(4.8) }],
    ["dip", { ...it, from: at(6.1), to: at(6.5), gainDB: -9, ramp: 2400 }],
    [
      "borrow",
      { ...it, from: at(5.2), to: at(5.7), take: before.take, takeChannel: 1, offset: before.offset + 48000 * 9, fade: { length: 960 } },
    ],
  ];
  for (const [kind, command] of edits) {
    const { revision } = await reelOf(page);
    const answer = await page.request.post(`${addressOf(page)}/commands`, { data: { revision, kind, command } });
    expect(answer.ok(), `${kind}: ${await answer.text()}`).toBe(true);
  }
  const worked = boomOf(await reelOf(page));
  const points = [3.2, 3.6, 4.1].map((s, i) => ({ at: at(s) - worked.start + worked.offset, value: [0, -14, -2][i]! }));
  const { revision } = await reelOf(page);
  const curve = { kind: "setCurve", revision, command: { of: "clip", id: worked.id, what: "gain", points } };
  expect((await page.request.post(`${addressOf(page)}/commands`, { data: curve })).ok()).toBe(true);

  // Settled it is a take of what it sounds like, made by what prints are made by.
  expect((await page.request.post(`${addressOf(page)}/settle`, { data: { clips: [worked.id] } })).ok()).toBe(true);
  await expect.poll(async () => boomOf(await reelOf(page)).take, { timeout: 30_000 }).not.toBe(before.take);
  const settled = boomOf(await reelOf(page));
  const samples = new Map<number, number>();
  for (let from = 0; from < 10 * 48000; from += 48000) {
    const q = `channel=${settled.channels[0]! + 1}&from=${settled.offset + from}&count=48000`;
    const body = await (await page.request.get(`/api/v1/takes/${settled.take}/samples?${q}`)).body();
    for (let i = 0; i < 48000; i++) samples.set(settled.start + from + i, body.readFloatLE(4 * i));
  }
  const now = await reelOf(page);
  const back = { kind: "unsettle", revision: now.revision, command: { clip: settled.id } };
  expect((await page.request.post(`${addressOf(page)}/commands`, { data: back })).ok()).toBe(true);
  await expect.poll(async () => boomOf(await reelOf(page)).take).toBe(before.take);

  let seen = 0;
  for (const [what, timecode] of [
    ["fade in", "10:00:34:10"],
    ["curve", "10:00:35:15"],
    ["hush", "10:00:36:15"],
    ["borrowed", "10:00:37:05"],
    ["dip", "10:00:38:05"],
  ] as const)
    await test.step(what, async () => {
      await goTo(page, timecode);
      seen += await everyZoom(page, (n) => samples.get(n) ?? 0, 6, true);
      for (let i = 0; i < 12; i++) await page.keyboard.press("q");
    });
  expect(seen).toBeGreaterThan(600);
});

test("what is painted again, row by row, is what would be painted whole", async ({ page }) => {
  test.setTimeout(120_000);
  await aReel(page, "The Lantern Ferry, row by row");
  await goTo(page, "10:00:36:10");
  for (let i = 0; i < 3; i++) await page.keyboard.press("e");
  await page.waitForTimeout(1500); // all that sounds has come
  const area = (await page.locator(".time-area").boundingBox())!;
  const rowOf = async (name: string) => (await track(page, name).boundingBox())!.y + 14;
  const picture = () =>
    page.evaluate(() => {
      const canvas = document.querySelector<HTMLCanvasElement>(".time-area canvas")!;
      const { data } = canvas.getContext("2d")!.getImageData(0, 0, canvas.width, canvas.height);
      let sum = 0;
      for (let i = 0; i < data.length; i++) sum = (sum * 31 + data[i]!) % 4294967291;
      return sum;
    });
  const seen = new Set<number>();
  const whole = async (after: string) => {
    await page.waitForTimeout(400);
    const painted = await picture();
    await page.keyboard.press("Shift+N");
    await page.waitForTimeout(200);
    await page.keyboard.press("Shift+N");
    await page.waitForTimeout(200);
    expect(await picture(), after).toBe(painted);
    seen.add(painted);
  };
  await whole("at first");
  const acts: [string, () => Promise<unknown>][] = [
    ["another track", () => page.keyboard.press("ArrowDown")],
    ["its mute", () => page.keyboard.press("x")],
    ["its clip", () => page.keyboard.press("Shift+W")],
    ["a cut", () => page.keyboard.press("c")],
    ["a fade", () => page.keyboard.press("f")],
    ["the edit before", () => page.keyboard.press("Control+z")],
    ["clips moved", () => page.keyboard.press("Alt+ArrowRight")],
    [
      "a range",
      async () =>
        page.keyboard
          .press("1")
          .then(() => page.keyboard.press("Shift+ArrowRight"))
          .then(() => page.keyboard.press("2")),
    ],
    ["curves", () => page.keyboard.press("v")],
    ["taller rows", () => page.keyboard.press("Shift+ArrowDown")],
    [
      "a clip in another's hand",
      async () => {
        await page.mouse.move(area.x + 500, await rowOf("Ines lav"));
        await page.mouse.down();
        await page.mouse.move(area.x + 530, await rowOf("Ines lav"));
        await page.mouse.move(area.x + 560, await rowOf("Radio"));
      },
    ],
    ["let go", () => page.keyboard.press("Escape").then(() => page.mouse.up())],
    [
      "all taken back",
      async () => {
        for (let i = 0; i < 4; i++) await page.keyboard.press("Control+z");
      },
    ],
  ];
  for (const [name, act] of acts) {
    await act();
    await whole(name);
  }
  expect(seen.size).toBeGreaterThan(8); // they do something
});
