// The Loom by mouse and by keyboard, on the demo's own reel. Every test puts back what it changed by undo.
import { expect, test, type Page } from "@playwright/test";

import { track } from "./rooms";

async function open(page: Page) {
  await page.goto("/");
  await page.getByRole("link", { name: /The Lantern Ferry(?!,)/ }).click();
  await page.getByRole("navigation", { name: "Rooms" }).getByRole("link", { name: "Loom" }).click();
  await expect(track(page, "Accordion cue")).toBeVisible();
}

const cell = (page: Page, name: string | RegExp) => page.getByRole("gridcell", { name });

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
  const ink = () => page.getByLabel("Meters of the outputs").evaluate((c: HTMLCanvasElement) => {
    const d = c.getContext("2d")!.getImageData(0, 0, c.width, c.height).data;
    let n = 0;
    for (let i = 0; i < d.length; i += 4) if (d[i]! < 60 && d[i + 3]! > 200) n++;
    return n;
  });
  await expect.poll(ink).toBeGreaterThan(100);
  await page.keyboard.press("Space");
  const stopped = await position.textContent();
  expect(stopped! > "10:00:32:00").toBe(true);
  await expect.poll(ink).toBe(0);
  expect(await position.textContent()).toBe(stopped);
});

test("knots are set, given a gain and cleared, and undo takes it back", async ({ page }) => {
  await open(page);
  await cell(page, /^Music to Effects L: not tied/).click();
  await expect(cell(page, /^Music to Effects L: tied at 0 dB/)).toBeVisible();
  await cell(page, /^Music to Effects L/).click();
  await page.getByLabel("Gain of L").fill("-6");
  await page.keyboard.press("Enter");
  await expect(cell(page, /^Music to Effects L: tied at −6 dB/)).toBeVisible();
  await expect(cell(page, /^Accordion cue to Effects L: reached at −1\d(\.\d)? dB/)).toBeVisible();
  await page.keyboard.press("Escape");
  await cell(page, /^Music to Effects L/).focus();
  await page.keyboard.press("Delete");
  await expect(cell(page, /^Music to Effects L: not tied/)).toBeVisible();
  for (const state of [/tied at −6/, /tied at 0/, /not tied/]) {
    await page.keyboard.press("Control+z");
    await expect(cell(page, /^Music to Effects L/)).toHaveAccessibleName(state);
  }
});

test("what is probably wrong is pointed out", async ({ page }) => {
  await open(page);
  await track(page, "Bell").click();
  await page.getByRole("slider", { name: "Pan" }).fill("-1");
  await page.getByRole("slider", { name: "Pan" }).press("ArrowLeft");
  await expect(page.getByRole("button", { name: "2 routes to look at" })).toBeVisible();
  await expect(cell(page, /^Bell to Effects R: not tied. Bell reaches Effects L but not R/)).toBeVisible();
  await page.keyboard.press("Escape");
  await page.getByRole("button", { name: /^Undo/ }).click();
  await expect(page.getByRole("button", { name: /routes? to look at/ })).toHaveCount(0);
});

test("mute is an edit, solo is for listening only", async ({ page }) => {
  await open(page);
  await track(page, "Chain").click();
  await page.keyboard.press("x");
  await expect(page.getByRole("button", { name: "1 route to look at" })).toBeVisible();
  await page.keyboard.press("Control+z");
  await expect(page.getByRole("button", { name: "1 route to look at" })).toHaveCount(0);
  const undo = await page.getByRole("button", { name: /^Undo/ }).textContent();
  await page.keyboard.press("s");
  await expect(page.getByRole("button", { name: "1 track soloed: hear all" })).toBeVisible();
  expect(await page.getByRole("button", { name: /^Undo/ }).textContent()).toBe(undo);
  await page.keyboard.press("a");
  await expect(page.getByRole("button", { name: "Listening to Chain" })).toBeVisible();
});

test("tied clips move together", async ({ page }) => {
  await open(page);
  await track(page, "Radio").first().click();
  const start = page.getByLabel("Timecode at which the clip starts");
  await expect(start).toHaveValue("10:00:32:00");
  await start.fill("10:00:33:05");
  await start.press("Enter");
  await track(page, "Boom").first().click();
  await expect(start).toHaveValue("10:00:33:05");
  await page.getByRole("button", { name: /^Undo: move/ }).click();
  await expect(start).toHaveValue("10:00:32:00");
});

test("an edit on a stale page is refused with a reason and loses nothing", async ({ page, context }) => {
  await open(page);
  const other = await context.newPage();
  await open(other);
  await page.getByRole("button", { name: "Mute Bell", exact: true }).click();
  await expect(page.getByRole("button", { name: "Mute Bell", exact: true })).toHaveAttribute("aria-pressed", "true");
  await other.getByRole("button", { name: "Mute Chain", exact: true }).click();
  await expect(other.getByText("Somebody has changed this reel since you saw it")).toBeVisible();
  await expect(other.getByRole("button", { name: "Mute Bell", exact: true })).toHaveAttribute("aria-pressed", "true");
  await other.getByRole("button", { name: "Mute Chain", exact: true }).click();
  await expect(other.getByRole("button", { name: "Mute Chain", exact: true })).toHaveAttribute("aria-pressed", "true");
  await other.keyboard.press("Control+z");
  await expect(other.getByRole("button", { name: "Mute Chain", exact: true })).toHaveAttribute("aria-pressed", "false");
  await other.keyboard.press("Control+z");
  await expect(other.getByRole("button", { name: "Mute Bell", exact: true })).toHaveAttribute("aria-pressed", "false");
});

test("every key is shown and can be changed", async ({ page }) => {
  await open(page);
  await page.keyboard.press("?");
  const dialog = page.getByRole("dialog", { name: "Keys" });
  await dialog.getByRole("button", { name: "Key for “Mute the selected track”: X" }).click();
  await page.keyboard.press("v");
  await expect(dialog.getByRole("button", { name: "Key for “Mute the selected track”: V" })).toBeVisible();
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
