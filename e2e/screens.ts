// Every screen, and how one gets there in the demo production.
import { expect, type Page } from "@playwright/test";

const room = (page: Page, name: string) => page.getByRole("navigation", { name: "Rooms" }).getByRole("link", { name, exact: true }).click();

export async function enter(page: Page) {
  await page.goto("/");
  await page.getByRole("link", { name: /^The Lantern Ferry(?!,)/ }).click();
  await expect(page.getByRole("navigation", { name: "Rooms" })).toBeVisible();
}

/** Reel 1 of the demo, in a room. */
async function reel(page: Page, name: string) {
  const production = /\/p\/([\w-]+)/.exec(page.url())![1]!;
  const reels = (await (await page.request.get(`/api/v1/productions/${production}/reels`)).json()) as { id: string; name: string }[];
  await page.goto(`/p/${production}/${name}/${reels.find((r) => r.name.startsWith("Reel 1"))!.id}`);
}

/** Each leaves the page at one screen. */
export const screens: Record<string, (page: Page) => Promise<void>> = {
  "the first page": async (page) => {
    await page.goto("/");
    await expect(page.getByRole("link", { name: /^The Lantern Ferry(?!,)/ })).toBeVisible();
  },
  Takes: async (page) => {
    await enter(page);
    await room(page, "Takes");
    await expect(page.getByRole("listbox").getByRole("option").first()).toBeVisible();
    await page.getByRole("listbox").getByRole("option", { name: /12A/ }).first().click();
    await expect(page.getByRole("heading", { level: 1 })).toBeVisible();
  },
  "several takes": async (page) => {
    await screens.Takes!(page);
    await page.keyboard.press("Shift+ArrowDown");
    await expect(page.getByRole("heading", { name: "To files" })).toBeVisible();
  },
  "bringing in": async (page) => {
    await screens.Takes!(page);
    await page
      .getByRole("button", { name: /^Bring in/ })
      .first()
      .click();
    await expect(page.getByRole("dialog", { name: "Bring in takes" })).toBeVisible();
  },
  Sync: async (page) => {
    await enter(page);
    await room(page, "Sync");
    await expect(page.getByRole("listbox").getByRole("option").first()).toBeVisible();
  },
  Loom: async (page) => {
    await enter(page);
    await reel(page, "loom");
    await expect(page.getByRole("group", { name: "Tracks" })).toBeVisible();
  },
  "the delivery specs": async (page) => {
    await screens.Loom!(page);
    await page.getByTitle("The delivery spec that the outputs come from").click();
    await expect(page.getByRole("dialog", { name: "Delivery spec" })).toBeVisible();
  },
  Gauge: async (page) => {
    await enter(page);
    await reel(page, "gauge");
    await expect(page.getByRole("complementary", { name: "Figures" }).getByText("Integrated")).toBeVisible({ timeout: 60_000 });
  },
  "Gauge, files": async (page) => {
    await enter(page);
    await room(page, "Gauge");
    await page.getByRole("navigation", { name: "What is measured" }).getByRole("link", { name: "Files" }).click();
    await page.getByRole("button", { name: /River bank/ }).click();
    await expect(page.getByRole("complementary", { name: "Figures" }).getByText("Integrated")).toBeVisible({ timeout: 60_000 });
  },
  Print: async (page) => {
    await enter(page);
    await reel(page, "print");
    await expect(page.getByRole("heading", { level: 1 })).toBeVisible();
    await expect(page.getByRole("button", { name: /^Print / }).first()).toBeVisible();
  },
  Work: async (page) => {
    await enter(page);
    await page.getByRole("region", { name: "Listening and work" }).getByRole("link").click();
    await expect(page.getByRole("heading", { name: "Work", exact: true })).toBeVisible();
  },
  "keys and words": async (page) => {
    await screens.Takes!(page);
    await page.keyboard.press("?");
    await expect(page.getByRole("dialog", { name: "Keys and words" })).toBeVisible();
  },
  "finding a command": async (page) => {
    await screens.Takes!(page);
    await page.keyboard.press("Control+k");
    await expect(page.getByRole("dialog", { name: "Commands" })).toBeVisible();
  },
};
