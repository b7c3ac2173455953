// The Loom by mouse and by keyboard, on the demo's own reel. Every test puts back what it changed by undo.
import { expect, test, type Page } from "./test";

import { chosen, crossing, goTo, meets, track } from "./rooms";

async function open(page: Page) {
  await page.goto("/");
  await page.getByRole("link", { name: /The Lantern Ferry(?!,)/ }).click();
  await page.getByRole("navigation", { name: "Rooms" }).getByRole("link", { name: "Loom" }).click();
  await expect(track(page, "Accordion cue")).toBeVisible();
}

test("playing moves the shuttle and the meters, and stops where it is", async ({ page }) => {
  await open(page);
  const position = page.getByRole("button", { name: /^Position/ });
  await page.keyboard.press("g");
  await page.getByLabel("Go to timecode").fill("10003410");
  await page.keyboard.press("Enter");
  await expect(position).toHaveText("10:00:34:10");
  await page.keyboard.press("ArrowRight");
  await expect(position).toHaveText("10:00:34:11");
  await page.keyboard.press("Shift+ArrowLeft");
  await expect(position).toHaveText("10:00:32:00");
  const before = Date.now();
  await page.keyboard.press("Space");
  await expect(position).not.toHaveText("10:00:32:00");
  test.info().annotations.push({ type: "first movement", description: `${Date.now() - before} ms after the key` });
  const meters = page.getByRole("group", { name: "Meters of the outputs" });
  const ink = () =>
    meters.locator("canvas").evaluate((c: HTMLCanvasElement) => {
      const d = c.getContext("2d")!.getImageData(0, 0, c.width, c.height).data;
      let n = 0;
      for (let i = 0; i < d.length; i += 4) if (d[i]! < 60 && d[i + 3]! > 200) n++;
      return n;
    });
  await expect.poll(ink).toBeGreaterThan(100);
  await expect(page.getByRole("region", { name: "Listening and work" })).toContainText("Full mix, Reel 1, Crossing");
  // What is painted is there in words as well.
  const read = meters.getByRole("meter", { name: "Full mix L" });
  await expect(read).toHaveAttribute("aria-valuetext", /^-\d+ dBFS$/);
  await page.keyboard.press("Space");
  const stopped = await position.textContent();
  expect(stopped! > "10:00:32:00").toBe(true);
  await expect.poll(ink).toBe(0);
  await expect(read).toHaveAttribute("aria-valuetext", "silent");
  expect(await position.textContent()).toBe(stopped);
});

test("what lies on a track, and what is chosen, is there in words", async ({ page }) => {
  await open(page);
  await track(page, "Boom").click();
  const clips = page.getByRole("list", { name: "What lies on Boom" }).getByRole("listitem");
  await expect(clips.first()).toHaveText(/^12A\/3, from 10:00:32:00, lasting 0:20\.0, tied to 3 other clips$/);
  const said = page.getByRole("status").filter({ hasText: /^Track Boom|on Boom:/ });
  await expect(said).toHaveText(/^Track Boom, \d clips$/);
  await page.keyboard.press("g");
  await page.getByLabel("Go to timecode").fill("10003400");
  await page.keyboard.press("Enter");
  await page.keyboard.press("Shift+W");
  await expect(said).toHaveText(/^1 of \d on Boom: 12A\/3, from/);
});

test("with the lists open, nothing of what is chosen is cut: its parts take turns", async ({ page }) => {
  await open(page);
  await track(page, "Boom").click();
  await page.keyboard.press("g");
  await page.getByLabel("Go to timecode").fill("10003400");
  await page.keyboard.press("Enter");
  await page.keyboard.press("Shift+W");
  await page.keyboard.press("i");
  await expect(page.getByRole("complementary", { name: "Lists" })).toBeVisible();
  const foot = chosen(page);
  const parts = foot.getByRole("group", { name: "Parts of what is chosen" });
  const cut = () =>
    foot.evaluate((el) => {
      const edge = el.getBoundingClientRect().right;
      const fields = [...el.querySelectorAll("input, select, button")];
      return fields.filter((f) => f.getBoundingClientRect().right > edge + 0.5).map((f) => f.getAttribute("aria-label") ?? f.textContent);
    });
  await expect(foot.getByLabel("Fade out in milliseconds")).toBeVisible();
  expect(await cut()).toEqual([]);
  await parts.getByRole("button", { name: "Track" }).click();
  await expect(foot.getByLabel("Gain of the track in dB")).toBeVisible();
  expect(await cut()).toEqual([]);
});

test("the picture stands where it covers nothing, at the foot or the side, is as wide as its edge is dragged, and floats", async ({
  page,
}) => {
  await open(page);
  const picture = page.getByRole("region", { name: "Picture" });
  const foot = (await chosen(page).boundingBox())!;
  const below = (await picture.boundingBox())!;
  expect(below.y).toBeGreaterThan(foot.y - 8);
  expect(below.x).toBeGreaterThan(foot.x + foot.width - 8);
  const edge = (await picture.getByRole("separator").boundingBox())!;
  await page.mouse.move(edge.x + 3, edge.y + 40);
  await page.mouse.down();
  await page.mouse.move(edge.x + 3 - 50, edge.y + 40, { steps: 3 });
  await page.mouse.up();
  expect((await picture.boundingBox())!.width).toBeCloseTo(below.width + 50, 0);
  await picture.getByRole("button", { name: "Put the picture at the side" }).click();
  const area = (await page.locator(".time-area").boundingBox())!;
  const weave = (await page.getByRole("grid", { name: "The weave", exact: true }).boundingBox())!;
  const shown = (await picture.boundingBox())!;
  expect(shown.x).toBeGreaterThan(area.x + area.width);
  expect(shown.x).toBeGreaterThan(weave.x + weave.width - 1);
  await page.reload(); // it is remembered
  await expect(picture.getByRole("button", { name: "Let the picture float over the tracks" })).toBeVisible();
  await picture.getByRole("button", { name: "Let the picture float over the tracks" }).click();
  await expect(picture.getByRole("button", { name: "Put the picture at the foot" })).toBeVisible();
  await picture.getByRole("separator").focus();
  const before = (await picture.boundingBox())!.width;
  await page.keyboard.press("ArrowRight");
  await expect.poll(async () => (await picture.boundingBox())!.width).toBeCloseTo(before + 16, 0);
});

test("the picture keeps to what is heard, and its timecode to the frame that it shows", async ({ page }) => {
  await open(page);
  const picture = page.getByRole("region", { name: "Picture" });
  await goTo(page, "10:00:20:00");
  await page.keyboard.press("Space");
  await expect(page.getByRole("button", { name: "Stop", exact: true })).toBeVisible();
  await page.waitForTimeout(1500);
  // By each frame that the video says it shows: what stands over it, and where the playhead is.
  const looks = await picture.locator("video").evaluate(async (el) => {
    const video = el as HTMLVideoElement & { requestVideoFrameCallback: (f: (now: number, of: { mediaTime: number }) => void) => void };
    const frames = (timecode: string) =>
      timecode
        .match(/(\d\d):(\d\d):(\d\d):(\d\d)/)!
        .slice(1)
        .reduce((n, x, i) => n * [0, 60, 60, 25][i]! + Number(x), 0);
    const said = () => frames(video.parentElement!.querySelector("[role=img]")!.getAttribute("aria-label")!);
    const head = () => frames(document.querySelector("button[aria-label^=Position]")!.textContent!);
    const out: { shown: number; said: number; head: number }[] = [];
    while (out.length < 40) {
      const mediaTime = await new Promise<number>((done) => video.requestVideoFrameCallback((_, of) => done(of.mediaTime)));
      await new Promise((done) => requestAnimationFrame(done));
      out.push({ shown: Math.floor(mediaTime * 25 + 0.5) + 10 * 3600 * 25, said: said(), head: head() });
    }
    return out;
  });
  const off = (of: (l: (typeof looks)[number]) => number) => looks.map(of).sort((a, b) => a - b);
  // What is written is for the picture that is drawn next, so it may be a frame ahead of what a page can ask of the video now.
  expect(off((l) => Math.abs(l.said - l.shown))[35], "most of the time what is said is what is shown").toBeLessThanOrEqual(1);
  const from = off((l) => l.shown - l.head);
  expect(Math.abs(from[20]!), `picture less playhead, in frames: ${from.join(" ")}`).toBeLessThanOrEqual(1);
  await page.keyboard.press("Space");
});

test("knots are set, given a gain and cleared, and undo takes it back", async ({ page }) => {
  await open(page);
  await (await crossing(page, "Music", "Effects L")).click();
  await meets(page, "Music", "Effects L", /knot at 0 dB/);
  await (await crossing(page, "Music", "Effects L")).click();
  await page.getByLabel("Gain of L").fill("-6");
  await page.keyboard.press("Enter");
  await meets(page, "Music", "Effects L", /knot at −6 dB/);
  await meets(page, "Accordion cue", "Effects L", /reached at −7\.5 dB/);
  await page.keyboard.press("Escape");
  await (await crossing(page, "Music", "Effects L")).focus();
  await page.keyboard.press("Delete");
  await meets(page, "Music", "Effects L", /no knot/);
  for (const state of [/knot at −6/, /knot at 0/, /no knot/]) {
    await page.keyboard.press("Control+z");
    await meets(page, "Music", "Effects L", state);
  }
});

// The demo's reel has two routes on purpose that the product asks about.
const asked = (page: Page, n: number) => page.getByRole("button", { name: `${n} routes to look at` });

test("what is probably wrong is pointed out", async ({ page }) => {
  await open(page);
  await expect(asked(page, 2)).toBeVisible();
  await track(page, "Bell").click();
  await page.getByRole("slider", { name: "Pan" }).fill("-1");
  await page.getByRole("slider", { name: "Pan" }).press("ArrowLeft");
  await expect(asked(page, 4)).toBeVisible();
  await meets(page, "Bell", "Effects R", /no knot. Bell reaches Effects L but not R/);
  await page.keyboard.press("Escape");
  await page.getByRole("button", { name: /^Undo/ }).click();
  await expect(asked(page, 2)).toBeVisible();
});

test("mute is an edit, solo is for listening only", async ({ page }) => {
  await open(page);
  await track(page, "Chain").click();
  await page.keyboard.press("x");
  await expect(asked(page, 3)).toBeVisible();
  await page.keyboard.press("Control+z");
  await expect(asked(page, 2)).toBeVisible();
  const undo = await page.getByRole("button", { name: /^Undo/ }).textContent();
  await page.keyboard.press("s");
  await expect(page.getByRole("button", { name: "1 track soloed: hear all" })).toBeVisible();
  expect(await page.getByRole("button", { name: /^Undo/ }).textContent()).toBe(undo);
  await page.keyboard.press("a");
  await expect(page.getByRole("button", { name: "Listening to Chain" })).toBeVisible();
});

test("two people see each other's edits, and only one that meets another's is refused", async ({ page, context }) => {
  await open(page);
  const other = await context.newPage();
  await open(other);
  const mute = (p: Page, name: string) => p.getByRole("button", { name: `Mute ${name}`, exact: true });
  await mute(page, "Bell").click();
  const before = Date.now();
  await expect(mute(other, "Bell")).toHaveAttribute("aria-pressed", "true", { timeout: 60_000 });
  test.info().annotations.push({ type: "seen by the other", description: `${Date.now() - before} ms after the click` });
  await mute(other, "Chain").click();
  await expect(mute(page, "Chain")).toHaveAttribute("aria-pressed", "true", { timeout: 60_000 });
  await other.keyboard.press("Control+z");
  await expect(mute(page, "Chain")).toHaveAttribute("aria-pressed", "false");
  await page.keyboard.press("Control+z");
  await expect(mute(other, "Bell")).toHaveAttribute("aria-pressed", "false");
  // Two that do the same thing at once: the second is told, and nothing is lost.
  const state = await page.evaluate(async () => {
    const productions = await (await fetch("/api/v1/productions")).json();
    const id = productions.find((p: { name: string }) => p.name === "The Lantern Ferry").id;
    const reels = await (await fetch(`/api/v1/productions/${id}/reels`)).json();
    return (await (await fetch(`/api/v1/reels/${reels[0].id}`)).json()) as {
      id: string;
      revision: number;
      tracks: { id: string; name: string }[];
    };
  });
  const bell = state.tracks.find((t) => t.name === "Bell")!.id;
  const answer = await page.evaluate(
    async ([reel, revision, track]) => {
      const send = (gainDB: number, author: string) =>
        fetch(`/api/v1/reels/${reel}/commands`, {
          method: "POST",
          headers: { "Content-Type": "application/json", "Loom-Author": author },
          body: JSON.stringify({ revision, kind: "setTrack", command: { track, gainDB } }),
        });
      await send(-4, "Somebody");
      const late = await send(-9, "Another");
      return { status: late.status, sentence: (await late.json()).title };
    },
    [state.id, state.revision, bell] as const,
  );
  expect(answer.status).toBe(409);
  expect(answer.sentence).toContain("has changed");
});

test("every key is shown and can be changed", async ({ page }) => {
  await open(page);
  await page.keyboard.press("?");
  const dialog = page.getByRole("dialog", { name: "Keys" });
  await dialog.getByRole("button", { name: "Key for “Mute the chosen track”: X" }).click();
  await page.keyboard.press("v");
  await expect(dialog.getByRole("button", { name: "Key for “Mute the chosen track”: V" })).toBeVisible();
  await page.keyboard.press("Escape");
  await track(page, "Winch").click();
  await page.keyboard.press("v");
  await expect(page.getByRole("button", { name: "Mute Winch", exact: true })).toHaveAttribute("aria-pressed", "true");
  await page.keyboard.press("Control+z");
  await expect(page.getByRole("button", { name: "Mute Winch", exact: true })).toHaveAttribute("aria-pressed", "false");
});

test("the reed gives time or weave more room", async ({ page }) => {
  await open(page);
  const reed = page.getByRole("separator").first();
  const width = Number(await reed.getAttribute("aria-valuenow"));
  await reed.focus();
  await page.keyboard.press("ArrowRight");
  await page.keyboard.press("ArrowRight");
  await expect(reed).toHaveAttribute("aria-valuenow", String(width - 60));
  await reed.dblclick();
  await expect(reed).toHaveAttribute("aria-valuenow", String(width));
});

test("where the server is not there, the page says so and goes on when it is", async ({ page }) => {
  await page.goto("/no/such/place");
  await expect(page.getByRole("heading", { name: "There is nothing at this address" })).toBeVisible();
  let there = false;
  await page.route("**/api/v1/productions", (route) => (there ? route.continue() : route.abort("connectionrefused")));
  await page.getByRole("link", { name: "All productions" }).click();
  await expect(page.getByRole("alert").filter({ has: page.getByRole("button", { name: "Try again" }) })).toBeVisible({ timeout: 30_000 });
  there = true;
  await page.getByRole("button", { name: "Try again" }).click();
  await expect(page.getByRole("link", { name: /The Lantern Ferry(?!,)/ })).toBeVisible();
});

test("heads, clips and the weave scroll as one", async ({ page }) => {
  await open(page);
  await page.setViewportSize({ width: 1280, height: 500 });
  const grid = page.getByRole("grid", { name: "The weave", exact: true });
  const top = async () => Promise.all([page.locator(".time-area canvas").boundingBox(), grid.locator("canvas").boundingBox()]);
  const before = await top();
  expect(before[1]!.y).toBe(before[0]!.y);
  await track(page, "Bell").scrollIntoViewIfNeeded();
  await page.waitForTimeout(200);
  const after = await top();
  expect(after, "what is painted stays where the rows are").toEqual(before);
  const cell = await (await crossing(page, "Track Bell", "Effects L")).boundingBox();
  const head = await track(page, "Bell").boundingBox();
  expect(Math.abs(cell!.y - head!.y)).toBeLessThan(2);
});
