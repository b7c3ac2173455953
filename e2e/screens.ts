// Every screen, and how one gets there in the demo production.
import { expect, type Page } from "./test";

const room = (page: Page, name: string) => page.getByRole("navigation", { name: "Rooms" }).getByRole("link", { name, exact: true }).click();

export async function enter(page: Page) {
  await page.goto("/");
  await page.getByRole("link", { name: /^The Lantern Ferry(?!,)/ }).click();
  await expect(page.getByRole("navigation", { name: "Rooms" })).toBeVisible();
}

/** Reel 1 of the demo, in a room; gives its ID. */
async function reel(page: Page, name: string): Promise<string> {
  const production = /\/p\/([\w-]+)/.exec(page.url())![1]!;
  const reels = (await (await page.request.get(`/api/v1/productions/${production}/reels`)).json()) as { id: string; name: string }[];
  const { id } = reels.find((r) => r.name.startsWith("Reel 1"))!;
  await page.goto(`/p/${production}/${name}/${id}`);
  return id;
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
  "the board": async (page) => {
    await screens.Loom!(page);
    await page.getByRole("button", { name: "board", exact: true }).click();
    await expect(page.getByRole("group", { name: "The board", exact: true })).toBeVisible();
  },
  "the receiving deck": async (page) => {
    await screens.Loom!(page);
    await page.keyboard.press("Alt+e");
    await expect(page.getByRole("region", { name: "The receiving deck" })).toBeVisible();
  },
  "a chain": async (page) => {
    await enter(page);
    const id = await reel(page, "loom");
    const view = await (await page.request.get(`/api/v1/reels/${id}`)).json();
    const steps = ["high-pass", "bell", "compressor", "noise"].map((kind, i) => ({ id: String(i + 1), kind, off: i === 3 }));
    if (view.chains.length === 0)
      // which is all left out, so that nothing sounds otherwise for other tests
      for (const command of [{ steps }, { off: true }])
        await page.request.post(`/api/v1/reels/${id}/commands`, {
          data: {
            revision: 1e9,
            kind: "setChain",
            command: { row: "track", from: view.tracks.find((t: { name: string }) => t.name === "Radio").id, ...command },
          },
        });
    await page
      .getByRole("button", { name: /^Chain of .*: 4 processors/ })
      .first()
      .click();
    await expect(page.getByRole("region", { name: /^Chain of/ }).getByRole("heading", { name: "High-pass" })).toBeVisible();
    await expect(page.getByRole("button", { name: /^Bell: 1 kHz/ })).toBeVisible();
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
