// The board: levels set, moved together, ridden while the reel plays, taken back, and what is printed of it.
import { execFileSync } from "node:child_process";
import { writeFileSync } from "node:fs";
import { expect, test, type Locator, type Page } from "./test";

import { bringIn, chooseSpec, crossing, goTo, newProduction, range, track, unravel } from "./rooms";

const board = (page: Page) => page.getByRole("group", { name: "The board", exact: true });
const level = (page: Page, name: string) => page.getByRole("slider", { name: `Level of ${name}`, exact: true });
const undo = (page: Page, what: RegExp) => page.getByRole("button", { name: what });
const play = (page: Page) => page.getByRole("button", { name: "Play", exact: true });
const stop = (page: Page) => page.getByRole("button", { name: "Stop", exact: true });

/** Takes hold of a level and moves it by so many pixels, and lets go only where it is said. */
async function drag(page: Page, of: Locator, by: number, letGo = true) {
  const b = (await of.boundingBox())!;
  await page.mouse.move(b.x + b.width / 2, b.y + b.height / 2);
  await page.mouse.down();
  for (let i = 1; i <= 6; i++) await page.mouse.move(b.x + b.width / 2 + (by * i) / 6, b.y + b.height / 2);
  if (letGo) await page.mouse.up();
}

const dB = async (of: Locator) => Number(await of.getAttribute("aria-valuenow"));

test.beforeEach(async ({ page }, info) => {
  await newProduction(page, `The Lantern Ferry, board ${info.title.slice(0, 8)}`);
  await bringIn(page, "Recorder card LF03", ["LF03"], ["LF03_12A_T03.wav"]);
  await unravel(page, /12A.*take 3/);
  await chooseSpec(page, "Six-channel split");
  await page.getByRole("button", { name: "board", exact: true }).click();
  await expect(board(page)).toBeVisible();
});

test("levels are set by mouse and keys, alone and together, and taken back", async ({ page }) => {
  const [boom, radio] = [level(page, "Boom"), level(page, "Radio")];
  await expect(boom).toHaveAttribute("aria-valuenow", "0");
  await drag(page, boom, -60);
  await expect.poll(() => dB(boom)).toBeLessThan(-5);
  const set = await dB(boom);
  await boom.press("ArrowRight");
  await expect(boom).toHaveAttribute("aria-valuenow", String(set + 0.5));
  await boom.press("Home");
  await expect(boom).toHaveAttribute("aria-valuenow", "0");
  // Two move together, each from where it is, and one press takes it back.
  await radio.press("PageDown");
  await expect(radio).toHaveAttribute("aria-valuenow", "-3");
  for (const name of ["Boom", "Radio"]) await page.getByRole("button", { name: `${name} moves together with others` }).click();
  await boom.press("ArrowLeft");
  await expect(boom).toHaveAttribute("aria-valuenow", "-0.5");
  await expect(radio).toHaveAttribute("aria-valuenow", "-3.5");
  await page.keyboard.press("ControlOrMeta+z");
  await expect(boom).toHaveAttribute("aria-valuenow", "0");
  await expect(radio).toHaveAttribute("aria-valuenow", "-3");
  // Stems, mixes and outputs have theirs, and a place; the way to a chain is there for each.
  await level(page, "stem Dialogue").press("PageUp");
  await expect(level(page, "stem Dialogue")).toHaveAttribute("aria-valuenow", "3");
  await page.getByRole("slider", { name: "Place of Boom" }).press("ArrowLeft");
  await expect(page.getByRole("slider", { name: "Place of Boom" })).toHaveAttribute("aria-valuetext", "5 left");
  await board(page)
    .getByRole("button", { name: /^Chain of Boom/ })
    .click();
  await expect(page.getByRole("heading", { name: "Chain of Boom" })).toBeVisible();
  await page.keyboard.press("Alt+w");
  await expect(board(page)).toBeHidden();
});

/** What another program measures of a stretch of a file, in dBFS. */
function mean(file: string, from: number, seconds: number): number {
  const args = ["-hide_banner", "-ss", String(from), "-t", String(seconds), "-i", file, "-af", "volumedetect", "-f", "null", "-"];
  const said = execFileSync("sh", ["-c", '"$@" 2>&1', "sh", "ffmpeg", ...args], { encoding: "utf8" });
  return Number(/mean_volume: (-?[\d.]+) dB/.exec(said)![1]);
}

async function printed(page: Page, to: string): Promise<string> {
  const room = (name: string) => page.getByRole("navigation", { name: "Rooms" }).getByRole("link", { name });
  await room("Print").click();
  await page.getByLabel("One file a group").check();
  await page.getByRole("button", { name: "Print 3 files" }).click();
  await expect(page.getByRole("heading", { name: /Delivered and proven/ }).first()).toBeVisible({ timeout: 60_000 });
  const [file] = await Promise.all([
    page.waitForEvent("download"),
    page
      .getByRole("link", { name: /_DX_stereo\.wav/ })
      .first()
      .click(),
  ]);
  await file.saveAs(to);
  await room("Loom").click();
  return to;
}

test("a ride is written as it is heard, printed, and one step to take back", async ({ page }, info) => {
  for (const name of ["Ines lav", "Tobiah lav", "Radio", "Wheelhouse plant"])
    await track(page, name)
      .getByRole("button", { name: `Mute ${name}`, exact: true })
      .click();
  const boom = level(page, "Boom");
  const before = await printed(page, info.outputPath("before.wav"));
  await page.getByRole("radio", { name: "touch" }).click();
  await goTo(page, "10:00:36:00");
  await play(page).click();
  const arrives = page.getByRole("meter", { name: "What arrives at Boom" });
  await expect(arrives).not.toHaveAttribute("aria-valuetext", "silent", { timeout: 20_000 });
  await drag(page, boom, -120, false);
  const held = await dB(boom);
  expect(held).toBeLessThan(-8);
  await page.waitForTimeout(2500); // it is held there while the reel plays
  await page.mouse.up();
  await expect(undo(page, /^Undo: .*gain/)).toBeVisible();
  await page.waitForTimeout(800);
  await stop(page).click();
  const after = await printed(page, info.outputPath("after.wav"));
  // Somewhere in it the print is softer by what was held; before it begins, as it was.
  const falls = Array.from({ length: 24 }, (_, i) => mean(after, 34 + i / 2, 0.5) - mean(before, 34 + i / 2, 0.5));
  expect(Math.max(...falls.slice(0, 3).map(Math.abs))).toBeLessThan(0.1);
  expect(falls.filter((x) => Math.abs(x - held) < 0.4).length).toBeGreaterThanOrEqual(2);
  await undo(page, /^Undo: .*gain/).click();
  await goTo(page, "10:00:39:00");
  await expect(boom).toHaveAttribute("aria-valuenow", "0");
  const back = await printed(page, info.outputPath("back.wav"));
  for (const i of [34, 38, 42]) expect(Math.abs(mean(back, i, 1) - mean(before, i, 1))).toBeLessThan(0.05);
});

test("the receiving deck shows a wrong wire, and where it was first heard", async ({ page }) => {
  const deck = page.getByRole("region", { name: "The receiving deck" });
  const output = (n: string) => deck.getByRole("listitem", { name: new RegExp(`^Output \\d+, ${n}$`) });
  await page.keyboard.press("Alt+e");
  await expect(deck).toContainText("Play the reel");
  await track(page, "Boom").click();
  await range(page, "10:00:34:00", "10:00:50:00");
  await page.keyboard.press("4"); // again and again, however long the test takes
  await play(page).click();
  for (const n of ["DX L", "DX R"]) await expect(output(n)).toContainText("as it should", { timeout: 30_000 });
  for (const n of ["MX L", "MX R"]) await expect(output(n)).toContainText("quiet");
  await expect(deck.getByRole("status")).toBeHidden();
  // Somebody ties the dialogue to where another stem belongs.
  await (await crossing(page, "Stem Dialogue", "Music L")).click();
  await expect(output("MX L")).toContainText("carries what belongs on DX", { timeout: 30_000 });
  await expect(deck.getByRole("status")).toHaveText("1 output was wrong", { timeout: 30_000 });
  await page.keyboard.press("ControlOrMeta+z");
  await expect(output("MX L")).toContainText("quiet", { timeout: 30_000 });
  await expect(output("MX L")).toContainText(/10:00:\d\d:\d\d/); // it stays noted
  await deck.getByRole("button", { name: "Listen anew" }).click();
  await expect(deck.getByRole("status")).toBeHidden();
});

test("what leaves is recorded by the receiving deck, and lies at the desk", async ({ page }, info) => {
  const deck = page.getByRole("region", { name: "The receiving deck" });
  await page.keyboard.press("Alt+e");
  await goTo(page, "10:00:36:00");
  await deck.getByRole("button", { name: "Record" }).click();
  await play(page).click();
  await expect(deck.getByRole("button", { name: /^Recording 0:0[3-9]/ })).toBeVisible({ timeout: 30_000 });
  await stop(page).click();
  await deck.getByRole("link", { name: /^0:\d\d\.\d from 10:00:36:00$/ }).click();
  await expect(page.getByRole("heading", { name: "What these files are" })).toBeVisible({ timeout: 30_000 });
  await expect(page.getByText(/_DX\.wav/).first()).toBeVisible();
  const id = page.url().split("/").pop()!;
  const receipt = (await (await page.request.get(`/api/v1/receipts/${id}`)).json()) as {
    receipt: { files: { name: string; start: number }[] };
  };
  const { files } = receipt.receipt;
  expect(files).toHaveLength(3);
  for (const f of files) expect(f.start).toBe(36036 * 48000);
  const of = async (tag: string) => {
    const name = files.find((f) => f.name.includes(`_${tag}.`))!.name;
    const sound = await page.request.get(`/api/v1/receipts/${id}/sound?file=${encodeURIComponent(name)}&seconds=3`);
    writeFileSync(info.outputPath(name), await sound.body());
    return mean(info.outputPath(name), 0, 3);
  };
  expect(await of("DX")).toBeGreaterThan(-60);
  expect(await of("MX")).toBeLessThan(-90);
});

test("a knot has a level of its own that moves, and is one step to take back", async ({ page }) => {
  await goTo(page, "10:00:36:00");
  await (await crossing(page, "Stem Dialogue", "Dialogue L")).click();
  const card = page.getByLabel("Crossing", { exact: true });
  await card.getByText("A curve by hand").click();
  await card.getByRole("button", { name: "at the playhead" }).click();
  await expect(card.getByText("Its curve, 1 point")).toBeVisible();
  await card.getByLabel("Value of point 1").fill("-7");
  await page.keyboard.press("Enter");
  await page.keyboard.press("Escape");
  await expect(page.getByRole("gridcell", { name: /Dialogue to Dialogue L: knot at 0 dB, ridden/ })).toBeAttached();
  await page.keyboard.press("ControlOrMeta+z");
  await page.keyboard.press("ControlOrMeta+z");
  await expect(page.getByRole("gridcell", { name: /Dialogue to Dialogue L: knot at 0 dB, ridden/ })).toHaveCount(0);
  // It is ridden while the reel plays.
  await (await crossing(page, "Stem Dialogue", "Dialogue L")).click();
  await page.evaluate(() => document.querySelector<HTMLButtonElement>('button[aria-label="Play"]')!.click());
  const ride = card.getByLabel("Ride the gain while playing");
  await expect(page.getByRole("button", { name: "Stop", exact: true })).toBeVisible();
  await page.waitForTimeout(1500);
  const b = (await ride.boundingBox())!;
  await page.mouse.move(b.x + b.width * 0.66, b.y + b.height / 2);
  await page.mouse.down();
  for (let i = 1; i <= 8; i++) {
    await page.mouse.move(b.x + b.width * (0.66 - i * 0.05), b.y + b.height / 2);
    await page.waitForTimeout(150);
  }
  await page.mouse.up();
  await expect(card.getByText(/Its curve, \d+ points/)).toBeVisible();
  await expect(undo(page, /^Undo: gain curve of Dialogue at Dialogue L/)).toBeVisible();
});

test("as it was is compared with as it is while it plays, as loud", async ({ page }) => {
  for (const name of ["Ines lav", "Tobiah lav", "Radio", "Wheelhouse plant"])
    await track(page, name)
      .getByRole("button", { name: `Mute ${name}`, exact: true })
      .click();
  for (let i = 0; i < 2; i++) await level(page, "Boom").press("PageDown");
  await expect(level(page, "Boom")).toHaveAttribute("aria-valuenow", "-6");
  await page.keyboard.press("i");
  await page.getByRole("tab", { name: "History" }).click();
  await page
    .getByRole("button", { name: /^Compare with the reel as it was after this: mute / })
    .first()
    .click();
  const two = page.getByRole("group", { name: "What is compared" });
  await expect(two.getByRole("button", { name: "this" })).toHaveAttribute("aria-pressed", "true");
  await page.getByRole("button", { name: /^Listening to/ }).click();
  await page.getByRole("menuitem", { name: "Dialogue output" }).click();
  await goTo(page, "10:00:36:00");
  await play(page).click();
  await expect(two.getByRole("button", { name: /^as after mute .* −6\.0 dB$/ })).toBeVisible({ timeout: 20_000 });
  await page.keyboard.press("Shift+G");
  await expect(two.getByRole("button", { name: /^as after/ })).toHaveAttribute("aria-pressed", "true");
  await page.waitForTimeout(800);
  await expect(stop(page)).toBeVisible();
  await two.getByRole("button", { name: "Compare no longer" }).click();
  await expect(two).toBeHidden();
});

test("where there are more loudspeakers each has what it is for", async ({ page }) => {
  // The machine of a test has two: the browser is told that there are six.
  await page.addInitScript(() => {
    Object.defineProperty(AudioDestinationNode.prototype, "maxChannelCount", { get: () => 6 });
    Object.defineProperty(AudioDestinationNode.prototype, "channelCount", { get: () => 6, set: () => {} });
  });
  const sizes: number[] = [];
  page.on("websocket", (ws) => ws.on("framereceived", (f) => typeof f.payload !== "string" && sizes.push(f.payload.length)));
  await page.reload();
  await page.getByRole("button", { name: "Two loudspeakers" }).click();
  await page.getByRole("button", { name: "All 6" }).click();
  const third = page.getByLabel("Loudspeaker 3 is");
  await expect(third).toHaveValue("C");
  await third.selectOption("L");
  await expect(page.getByLabel("Loudspeaker 1 is")).toHaveValue("");
  await page.keyboard.press("Escape");
  await goTo(page, "10:00:36:00");
  await play(page).click();
  await expect.poll(() => sizes.filter((n) => n === 20 + 1024 * 4 * 6).length, { timeout: 20_000 }).toBeGreaterThan(60);
  await stop(page).click();
  await page.getByRole("button", { name: "6 loudspeakers" }).click();
  await page.getByRole("button", { name: "Two", exact: true }).click();
  await page.keyboard.press("Escape");
  sizes.length = 0;
  await play(page).click();
  await expect.poll(() => sizes.filter((n) => n === 20 + 1024 * 4 * 2).length, { timeout: 20_000 }).toBeGreaterThan(30);
});
