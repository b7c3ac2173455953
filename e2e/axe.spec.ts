// What axe-core finds wrong with the Loom for those who see, hear or point otherwise: nothing, by day and by night.
import { violations } from "./axe";
import { expect, test, type Page } from "./test";

import { crossing, track } from "./rooms";

async function open(page: Page, light: "day" | "night", reel: RegExp) {
  await page.addInitScript((l) => localStorage.setItem("loom.light", l), light);
  await page.goto("/");
  await page.getByRole("link", { name: /The Lantern Ferry(?!,)/ }).click();
  await page.getByRole("navigation", { name: "Rooms" }).getByRole("link", { name: "Loom" }).click();
  await page.getByRole("button", { name: /; others$/ }).click();
  const other = page.getByRole("menuitem", { name: reel });
  if (await other.isEnabled()) await other.click();
  else await page.keyboard.press("Escape");
  await expect(page.getByRole("group", { name: "Tracks" })).toBeVisible();
}

/** What lies partly under a card, or is partly scrolled out of view, is not measured. */
async function clean(page: Page, what: string, sizes = true) {
  expect(await violations(page, sizes), what).toEqual([]);
}

for (const light of ["day", "night"] as const) {
  test(`the Loom has no violation that axe finds, by ${light}`, async ({ page }) => {
    test.setTimeout(180_000); // axe looks at every element several times
    await open(page, light, /Reel 2, Crossing in 5\.1/);
    await track(page, "Winch").click();
    await clean(page, "with a track and its clip chosen");
    await page.keyboard.press("Shift+I");
    await page.keyboard.press("Shift+F");
    await page.keyboard.press("Shift+V");
    await clean(page, "with the dock at the side, all tracks fitted, the weave by groups");
    await page.keyboard.press("Shift+V");
    await (await crossing(page, "Track Winch", "English 5.1 LFE")).click();
    await expect(page.getByRole("dialog", { name: "Crossing" })).toBeVisible();
    await clean(page, "with the card of a crossing open", false);
    await page.keyboard.press("Escape");
    await page.keyboard.press("i");
    await page.getByRole("tab", { name: "Weave" }).click();
    await clean(page, "with the lists", false);
    await page.keyboard.press("i");
    await page.getByRole("button", { name: /; others$/ }).click();
    await page.getByRole("menuitem", { name: /^Patterns/ }).click();
    await clean(page, "with the patterns", false);
  });
}

for (const light of ["day", "night"] as const) {
  test(`Gauge has no violation that axe finds, by ${light}`, async ({ page }) => {
    test.setTimeout(120_000);
    await open(page, light, /Reel 1, Crossing/);
    await page.getByRole("navigation", { name: "Rooms" }).getByRole("link", { name: "Gauge" }).click();
    await expect(page.getByRole("complementary", { name: "Figures" }).getByText("Integrated")).toBeVisible({ timeout: 60_000 });
    await clean(page, "with the full mix measured");
    await page.getByLabel("Judged by").selectOption("td1008-speech");
    await expect(page.getByRole("img", { name: "off what is asked" }).first()).toBeVisible();
    await clean(page, "with figures that are off");
    await page.setViewportSize({ width: 640, height: 400 });
    await page.getByRole("button", { name: "Correct it and its parts" }).scrollIntoViewIfNeeded();
    await expect(page.getByRole("button", { name: "Correct it and its parts" })).toBeInViewport();
    await clean(page, "at 200 %");
  });
}
