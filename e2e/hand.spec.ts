// The hand is faster than the screen: a press, a move and a release may all arrive between two pictures. Whatever the pace, what is dragged lands where
// it is let go of, to the sample.
import { expect, test, type Page } from "./test";

import { bringIn, goTo, newProduction, track, unravel } from "./rooms";
import { enter } from "./screens";

/** How many gestures are made; more by E2E_GESTURES. */
const gestures = Number(process.env.E2E_GESTURES ?? 60);
/** Whether they are made on the demo's dense reel, of 48 tracks and hundreds of clips; by E2E_DENSE. */
const dense = process.env.E2E_DENSE !== undefined;

type Lies = { start: number; offset: number; length: number };
type View = { clips: (Lies & { id: string; track: string; frames: number; channels: number[] })[]; tracks: { id: string; name: string }[] };

const reelOf = async (page: Page): Promise<View> =>
  (await (await page.request.get(`/api/v1/reels/${page.url().split("/").at(-1)!.replace(/\?.*/, "")}`)).json()) as View;

/** Numbers that look random and are the same each time (Park and Miller's). */
function dice(seed: number) {
  let s = seed;
  return (below: number) => {
    s = (s * 48271) % 2147483647;
    return s % below;
  };
}

/** Where a clip is drawn: its edges in pixels of the page, and how many samples a pixel is. */
async function drawn(page: Page, lies: Lies) {
  const area = page.locator(".time-area");
  const [box, left, perPixel] = await Promise.all([
    area.boundingBox(),
    area.getAttribute("data-left").then(Number),
    area.getAttribute("data-per-pixel").then(Number),
  ]);
  const x = (sample: number) => box!.x + (sample - left) / perPixel;
  return { from: x(lies.start), to: x(lies.start + lies.length), perPixel, left: box!.x, right: box!.x + box!.width };
}

test("whatever the pace, what is dragged lands where it is let go of", async ({ page }) => {
  test.setTimeout(60_000 + gestures * 1000);
  const name = dense ? await theDenseReel(page) : await aSmallReel(page);
  await page.keyboard.press("6"); // nothing catches
  const area = page.locator(".time-area");
  await expect(area).toBeVisible();
  const row = (await track(page, name).boundingBox())!;
  const y = Math.round(row.y + 26);
  const reel = await reelOf(page);
  const boom = reel.tracks.find((t) => t.name === name)!;
  const first = reel.clips.filter((c) => c.track === boom.id).sort((a, b) => a.start - b.start)[0]!;
  if (dense) await closeTo(page, first);
  const frames = first.frames;
  // What is laid over others is another matter: it stays between its neighbours.
  const rows = new Set(reel.clips.filter((c) => c.start === first.start).map((c) => c.track));
  const others = reel.clips.filter((c) => c.start !== first.start && rows.has(c.track));
  const least = Math.max(0, ...others.filter((c) => c.start < first.start).map((c) => c.start + c.length));
  const most = Math.min(Infinity, ...others.filter((c) => c.start > first.start).map((c) => c.start));
  let lies: Lies = { start: first.start, offset: first.offset, length: first.length };
  const roll = dice(7919);
  // Make room to both sides of it.
  if (!dense) {
    await page.mouse.move((await drawn(page, lies)).from + 200, y);
    await page.keyboard.down("Control");
    await page.mouse.wheel(0, 60);
    await page.keyboard.up("Control");
  }
  await page.waitForTimeout(200);

  for (let i = 0; i < gestures; i++) {
    const { from, to, perPixel, left, right } = await drawn(page, lies);
    const kind = (["move", "move", "start", "end", "back"] as const)[roll(5)]!;
    const x = Math.round(kind === "start" ? from : kind === "end" ? to : from + 20 + roll(Math.max(1, Math.round(to - from) - 40)));
    const back = lies.start > first.start ? -1 : 1; // so that it stays in view
    const narrow = to - from < (dense ? 150 : 260); // it is to stay wide enough to be taken hold of
    const wide = dense && to - from > (right - left) / 2; // and to have room on either side
    const reach = 70 * perPixel;
    const tightAhead = lies.start + lies.length + reach > most || to + 90 > right;
    const tightBehind = lies.start - reach < least || from - 90 < left;
    const way = {
      start: !tightBehind && !wide && (narrow || roll(2)) ? -1 : 1,
      end: !tightAhead && !wide && (narrow || roll(2)) ? 1 : -1,
      move: tightAhead ? -1 : tightBehind ? 1 : back,
      back,
    }[kind];
    const by = way * (8 + roll(60));
    const wider = { start: -by, end: by, move: 0, back: 0 }[kind];
    if (dense && wider < 0 && to - from + wider < 100) continue;
    // Everything is sent without waiting for what becomes of it.
    const sent = [page.mouse.move(x, y), page.mouse.down()];
    const steps = roll(4);
    for (let k = 1; k <= steps; k++) {
      if (roll(3) === 0) await new Promise((done) => setTimeout(done, roll(120)));
      sent.push(page.mouse.move(x + Math.round((by * k) / (steps + 1)), y + roll(5) - 2));
    }
    if (kind === "back") {
      sent.push(page.mouse.move(x + by, y), page.keyboard.press("Escape"), page.mouse.move(x + 2 * by, y), page.mouse.up());
    } else {
      if (roll(2)) sent.push(page.mouse.move(x + by, y));
      else sent.push(page.mouse.move(x + by - 1, y), page.mouse.move(x + by, y));
      sent.push(page.mouse.up());
    }
    await Promise.all(sent);
    const samples = Math.round(by * perPixel);
    if (kind === "move") lies = { ...lies, start: lies.start + samples };
    if (kind === "start") {
      const trimmed = Math.max(-lies.offset, Math.min(samples, lies.length - 1));
      lies = { start: lies.start + trimmed, offset: lies.offset + trimmed, length: lies.length - trimmed };
    }
    if (kind === "end")
      lies = { ...lies, length: lies.length + Math.min(frames - lies.offset - lies.length, Math.max(samples, 1 - lies.length)) };
    if (roll(4) === 0) await page.waitForTimeout(roll(500));
    if (i % 10 === 9) await lain(page, first.id, lies, i);
  }
  await lain(page, first.id, lies, gestures);
  await expect(page.getByText(/could not|went wrong/)).toHaveCount(0);
});

async function aSmallReel(page: Page) {
  await newProduction(page, "The Lantern Ferry, by hand");
  await bringIn(page, "Recorder card LF03", ["LF03"], ["LF03_12A_T03.wav"]);
  await unravel(page, /12A.*take 3/);
  await expect(track(page, "Ines lav")).toBeVisible();
  return "Boom";
}

async function theDenseReel(page: Page) {
  await enter(page);
  const production = /\/p\/([\w-]+)/.exec(page.url())![1]!;
  const reels = (await (await page.request.get(`/api/v1/productions/${production}/reels`)).json()) as { id: string; name: string }[];
  await page.goto(`/p/${production}/loom/${reels.find((r) => r.name.startsWith("Reel 4"))!.id}`);
  await expect(track(page, "Boom A")).toBeVisible();
  return "Boom A";
}

/** Goes so close to a clip that it takes a third of the room. */
async function closeTo(page: Page, clip: Lies) {
  const at = clip.start / 48000; // the reel's timecode is that of the clock
  const two = (n: number) => String(Math.floor(n)).padStart(2, "0");
  await goTo(page, `${two(at / 3600)}:${two((at / 60) % 60)}:${two(at % 60)}:00`);
  for (let i = 0; i < 30; i++) {
    const { from, to } = await drawn(page, clip);
    if (to - from > 120) break;
    await page.keyboard.press("e");
    await page.waitForTimeout(150);
  }
}

/** All clips that are tied to it do what it does. */
async function lain(page: Page, of: string, lies: Lies, after: number) {
  await expect
    .poll(
      async () => {
        const { start, offset, length } = (await reelOf(page)).clips.find((c) => c.id === of)!;
        return { start, offset, length };
      },
      { message: `after ${after} gestures` },
    )
    .toEqual(lies);
}

/** The page of somebody else in the same reel. */
async function another(page: Page, name: string): Promise<Page> {
  const context = await page
    .context()
    .browser()!
    .newContext({ baseURL: new URL(page.url()).origin });
  await context.addInitScript((author) => localStorage.setItem("loom.author", author), name);
  const other = await context.newPage();
  await other.goto(page.url());
  await expect(track(other, "Boom")).toBeVisible();
  return other;
}

test("two people take back their own, and are asked where they met", async ({ page }) => {
  await page.addInitScript(() => localStorage.setItem("loom.author", "Ines"));
  await newProduction(page, "The Lantern Ferry, by two");
  await bringIn(page, "Recorder card LF03", ["LF03"], ["LF03_12A_T03.wav"]);
  await unravel(page, /12A.*take 3/);
  await expect(track(page, "Boom")).toBeVisible();
  const other = await another(page, "Tobiah");
  const boom = async () => {
    const { tracks } = (await reelOf(page)) as unknown as { tracks: { name: string; gainDB: number; mute?: boolean }[] };
    const { gainDB, mute } = tracks.find((t) => t.name === "Boom")!;
    return { gainDB, mute: mute ?? false };
  };
  const gain = async (who: Page, dB: string) => {
    await track(who, "Boom").click();
    await who.getByLabel("Gain of the track in dB").fill(dB);
    await who.keyboard.press("Enter"); // and the field is left: keys are the Loom's again
  };

  await gain(page, "-3");
  await track(other, "Boom").getByRole("button", { name: "Mute Boom" }).click();
  await expect.poll(boom).toEqual({ gainDB: -3, mute: true });
  await page.keyboard.press("Control+z");
  await expect.poll(boom, "somebody's mute is no obstacle").toEqual({ gainDB: 0, mute: true });
  await page.keyboard.press("Control+Shift+z");
  await expect.poll(boom).toEqual({ gainDB: -3, mute: true });

  await gain(page, "-6");
  await expect.poll(boom).toEqual({ gainDB: -6, mute: true });
  await track(other, "Boom").click();
  await expect(other.getByLabel("Gain of the track in dB")).toHaveValue("-6");
  await gain(other, "-9");
  await expect.poll(boom).toEqual({ gainDB: -9, mute: true });
  await page.keyboard.press("Control+z");
  const asked = page.getByRole("dialog", { name: "It can't be taken back as it was" });
  await expect(asked.getByText("Tobiah has changed track Boom since (gain of Boom)")).toBeVisible();
  await asked.getByRole("button", { name: "Pass it" }).click();
  await expect(asked).toHaveCount(0);
  await expect.poll(boom).toEqual({ gainDB: -9, mute: true });
  await page.keyboard.press("Control+z"); // the one before is met as well
  await asked.getByRole("button", { name: "Set it back anyway" }).click();
  await expect.poll(boom).toEqual({ gainDB: 0, mute: true });

  // What the other did is taken back by choice, in the history.
  await page.keyboard.press("i");
  await page.getByRole("tab", { name: "History" }).click();
  await page.getByRole("button", { name: "Take back: mute Boom" }).click();
  await expect.poll(boom).toEqual({ gainDB: 0, mute: false });

  // Delete takes the clip; again, and the track stays; at its head it is asked about.
  await page.locator(".time-area").click({ position: await middleOf(page) });
  await page.keyboard.press("Delete");
  const clips = async () => (await reelOf(page)).clips.length;
  const before = (await reelOf(page)).tracks.length;
  await expect.poll(clips).toBe(4);
  await page.keyboard.press("Delete");
  await expect(page.getByText("Choose clips, a range, or a track at its head.")).toBeVisible();
  await track(page, "Boom").click();
  await page.keyboard.press("Delete");
  await page.getByRole("dialog", { name: "Remove Boom?" }).getByRole("button", { name: "Keep it" }).click();
  expect((await reelOf(page)).tracks).toHaveLength(before);
  await other.context().close();
});

/** A place in the middle of the clip on the Boom's row. */
async function middleOf(page: Page) {
  const reel = await reelOf(page);
  const boom = reel.tracks.find((t) => t.name === "Boom")!;
  const { from, to } = await drawn(page, reel.clips.find((c) => c.track === boom.id)!);
  const box = (await page.locator(".time-area").boundingBox())!;
  const row = (await track(page, "Boom").boundingBox())!;
  return { x: (from + to) / 2 - box.x, y: row.y + 20 - box.y };
}
