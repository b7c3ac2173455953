// Steps that several tests take through the interface, by what a user sees.
import { expect, type Locator, type Page } from "./test";

export const scenario = `${process.env.E2E_DATA ?? "../.run/e2e"}/scenario`;

export async function newProduction(page: Page, name: string) {
  await page.goto("/");
  await page.getByLabel("New production").fill(name);
  await page.getByRole("button", { name: "Make it" }).click();
  await expect(page.getByRole("heading", { name: "No takes yet" })).toBeVisible();
}

/** Takes files in from a card, opening folders on the way. */
export async function bringIn(page: Page, card: string, folders: string[], files: string[]) {
  await page
    .getByRole("button", { name: /^Bring in/ })
    .first()
    .click();
  const dialog = page.getByRole("dialog", { name: "Bring in takes" });
  await dialog.getByRole("button", { name: card }).first().click();
  for (const f of folders) await dialog.getByRole("button", { name: f, exact: true }).click();
  for (const f of files) await dialog.getByLabel(f).check();
  await dialog.getByRole("button", { name: /^Bring in \d/ }).click();
  await expect(dialog).toBeHidden();
}

export const takeRow = (page: Page, text: string | RegExp) =>
  page.getByRole("listbox", { name: "Takes" }).getByRole("option", { name: text });

export async function unravel(page: Page, take: string | RegExp) {
  await page.getByRole("navigation", { name: "Rooms" }).getByRole("link", { name: "Takes" }).click();
  await takeRow(page, take).click();
  await page.getByRole("button", { name: /^Unravel \d+ tracks? onto/ }).click();
  await expect(page.getByRole("group", { name: "Tracks" })).toBeVisible();
}

export const track = (page: Page, name: string) => page.getByRole("group", { name: `Track ${name}`, exact: true });

/** What is chosen in the Loom, with its settings. */
export const chosen = (page: Page) => page.getByRole("region", { name: "What is chosen" });

/** Puts the playhead somewhere. */
export async function goTo(page: Page, timecode: string) {
  // Keys are the room's once it is there: after a reload the header and the foot come first.
  const position = page.getByRole("button", { name: /^Position/ });
  await expect(position).toBeVisible();
  await page.keyboard.press("g");
  await page.getByLabel("Go to timecode").fill(timecode);
  await page.keyboard.press("Enter");
  await expect(position).toHaveText(timecode);
}

/** Chooses a range on the chosen track. */
export async function range(page: Page, from: string, to: string) {
  await goTo(page, from);
  await page.keyboard.press("1");
  await goTo(page, to);
  await page.keyboard.press("2");
}

export async function chooseSpec(page: Page, title: string) {
  await page.getByTitle("The delivery spec that the outputs come from").click();
  const dialog = page.getByRole("dialog", { name: "Delivery spec" });
  await dialog
    .locator("li")
    .filter({ has: page.getByText(title, { exact: true }) })
    .getByRole("button")
    .click();
  await expect(dialog).toBeHidden();
}

const written = (text: string) => text.replace(/[.*+?^${}()|[\]\\]/g, "\\$&");

/** Points at where a row and a column of the weave cross, and gives the crossing. A row is named as it is, or with its kind before it: Stem Music. */
export async function crossing(page: Page, row: string, column: string): Promise<Locator> {
  const kind = /^(Track|Stem|Strand|Mix) /.test(row) ? "" : "(Track|Stem|Strand|Mix) ";
  const head = page.getByRole("group", { name: new RegExp(`^${kind}${written(row)}$`) }).first();
  const top = page.locator(`[data-column="${column}"]`);
  await head.scrollIntoViewIfNeeded();
  await top.waitFor();
  const middle = async (l: Locator) => {
    const b = (await l.boundingBox())!;
    return { x: b.x + b.width / 2, y: b.y + b.height / 2 };
  };
  const weave = (await page.getByRole("grid", { name: "The weave", exact: true }).boundingBox())!;
  const { y } = await middle(head);
  let { x } = await middle(top);
  if (x < weave.x + 15 || x > weave.x + weave.width - 15) {
    await page.mouse.move(weave.x + weave.width / 2, y);
    await page.mouse.wheel(x - weave.x - weave.width / 2, 0);
    await page.waitForTimeout(150);
    ({ x } = await middle(top));
  }
  await page.mouse.move(x - 3, y);
  await page.mouse.move(x, y);
  return page.getByRole("gridcell", {
    name: new RegExp(`^${written(row.replace(/^(Track|Stem|Strand|Mix) /, ""))} to ${written(column)}: `),
  });
}

/** Expects a crossing to be called so. */
export async function meets(page: Page, row: string, column: string, state: RegExp, timeout = 60_000) {
  await expect(async () => expect(await crossing(page, row, column)).toHaveAccessibleName(state, { timeout: 1000 })).toPass({ timeout });
}
