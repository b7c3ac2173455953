// What is there in every room: files on their way, what plays, commands by name, notices; and the way in for somebody new.
import { expect, test, type Page } from "./test";

import { enter, screens } from "./screens";
import { monoFile } from "./wave";

const foot = (page: Page) => page.getByRole("region", { name: "Listening and work" });
const go = (page: Page, room: string) =>
  page.getByRole("navigation", { name: "Rooms" }).getByRole("link", { name: room, exact: true }).click();

test("files go on being sent in other rooms, and are stopped from there", async ({ page }) => {
  await enter(page);
  await go(page, "Takes");
  let held = 0;
  await page.route("**/api/v1/uploads/**", async (route) => {
    if (route.request().method() === "PATCH") {
      held++;
      await new Promise((done) => setTimeout(done, 60_000)); // a slow line
    }
    await route.continue().catch(() => undefined);
  });
  await page
    .getByRole("button", { name: /^Bring in/ })
    .first()
    .click();
  await page.getByLabel(/From this computer/).setInputFiles({ name: "Slow.wav", mimeType: "audio/wav", buffer: Buffer.alloc(1 << 20) });
  await expect(foot(page)).toContainText("0 of 1 file sent");
  await expect.poll(() => held).toBe(1);
  await page.keyboard.press("Escape");
  await go(page, "Sync");
  await expect(foot(page)).toContainText("0 of 1 file sent");
  await foot(page)
    .getByRole("link", { name: /0 of 1 file sent/ })
    .click();
  await expect(page.getByRole("heading", { name: "Work", exact: true })).toBeVisible();
  await expect(page).toHaveTitle("Work – The Lantern Ferry – Zesty Loom");
  await page.getByRole("button", { name: "Stop sending Slow.wav" }).click();
  await expect(foot(page)).not.toContainText("file sent");
});

test("what plays ends with its room; it is dimmed, and stopped, from the foot", async ({ page }) => {
  await screens.Loom!(page);
  await page.keyboard.press("Space");
  await expect(page.getByLabel("What is heard")).toBeVisible({ timeout: 60_000 });
  await page.keyboard.press("Alt+x");
  await expect(foot(page).getByRole("button", { name: "Dim" })).toHaveAttribute("aria-pressed", "true");
  await foot(page).getByRole("button", { name: "Stop what plays" }).click();
  await expect(page.getByLabel("What is heard")).toBeHidden();
  await page.keyboard.press("Space");
  await expect(page.getByLabel("What is heard")).toBeVisible({ timeout: 60_000 });
  await go(page, "Print");
  await expect(page.getByRole("heading", { level: 1 })).toBeVisible();
  await expect(page.getByLabel("What is heard")).toBeHidden();
});

test("Space stops what plays where it is, also in a room that came after the foot", async ({ page }) => {
  await screens.Gauge!(page);
  const place = page
    .getByRole("main")
    .getByText(/^\d\d:\d\d:\d\d:\d\d$/)
    .first();
  await expect(place).toHaveText("10:00:00:00");
  await page.keyboard.press("Space");
  await expect(place).not.toHaveText(/10:00:00:\d\d/, { timeout: 60_000 });
  await page.keyboard.press("Space");
  await expect(page.getByRole("main").getByRole("button", { name: "Play", exact: true })).toBeVisible();
  await expect(place).not.toHaveText("10:00:00:00");
});

test("a command is found by its name, and a reel by its own", async ({ page }) => {
  await screens.Loom!(page);
  const zoomed = page.getByRole("dialog", { name: "Commands" });
  await page.keyboard.press("Control+k");
  await expect(page.getByLabel("Find a command")).toBeFocused();
  await page.keyboard.type("night day");
  await page.keyboard.press("Enter");
  await expect(zoomed).toBeHidden();
  await expect(page.locator("html")).toHaveAttribute("data-light", "night");
  await page.keyboard.press("Control+k");
  await expect(page.getByLabel("Find a command")).toBeFocused();
  await page.keyboard.type("reel 2 gauge");
  await page.keyboard.press("Enter");
  await expect(page).toHaveURL(/\/gauge\//);
  await expect(page).toHaveTitle(/^Reel 2, Crossing in 5\.1 – Gauge/);
});

test("Escape closes the dialog while a notice stands, and putting the notice away closes nothing", async ({ page }) => {
  await screens["keys and words"]!(page);
  const dialog = page.getByRole("dialog", { name: "Keys and words" });
  await dialog.getByRole("button", { name: /^Key for “Circle the take, or not”/ }).click();
  await page.keyboard.press("Escape"); // the key is not changed, and the dialog stays
  await expect(dialog).toBeVisible();
  await dialog.getByRole("button", { name: /^Key for “Circle the take, or not”/ }).click();
  await page.keyboard.press("u");
  const notice = page.getByText("“Unravel the open take” has no key now.");
  await expect(notice).toBeVisible();
  await page.getByRole("button", { name: "Put away" }).click();
  await expect(notice).toBeHidden();
  await expect(dialog).toBeVisible();
  await dialog.getByRole("button", { name: "Back to the keys it came with" }).click();
  await page.keyboard.press("Escape");
  await expect(dialog).toBeHidden();
});

test("somebody new begins with a file of their own", async ({ page }) => {
  await page.goto("/");
  const silence = monoFile(Buffer.alloc(144_000), 48_000);
  await page
    .getByLabel("Begin with files of your own")
    .setInputFiles({ name: "My first take.wav", mimeType: "audio/wav", buffer: silence });
  await expect(page).toHaveTitle("Takes – My first take – Zesty Loom");
  await expect(page.getByRole("listbox").getByRole("option", { name: /My first take/ })).toBeVisible({ timeout: 30_000 });
  await page.goto("/");
  await expect(page.getByRole("listitem").filter({ hasText: "My first take" })).toContainText("1 take");
});
