// Steps that several tests take through the interface, by what a user sees.
import { expect, type Page } from "@playwright/test";

export const scenario = `${process.env.E2E_DATA ?? "../.run/e2e"}/scenario`;

export async function newProduction(page: Page, name: string) {
  await page.goto("/");
  await page.getByLabel("New production").fill(name);
  await page.getByRole("button", { name: "Make it" }).click();
  await expect(page.getByRole("heading", { name: "No takes yet" })).toBeVisible();
}

/** Takes files in from a card, opening folders on the way. */
export async function bringIn(page: Page, card: string, folders: string[], files: string[]) {
  await page.getByRole("button", { name: /^Bring in/ }).first().click();
  const dialog = page.getByRole("dialog", { name: "Bring in takes" });
  await dialog.getByRole("button", { name: card }).first().click();
  for (const f of folders) await dialog.getByRole("button", { name: f, exact: true }).click();
  for (const f of files) await dialog.getByLabel(f).check();
  await dialog.getByRole("button", { name: /^Bring in \d/ }).click();
  await expect(dialog).toBeHidden();
}

export const takeRow = (page: Page, text: string | RegExp) => page.getByRole("listbox", { name: "Takes" }).getByRole("option", { name: text });

export async function unravel(page: Page, take: string | RegExp) {
  await page.getByRole("navigation", { name: "Rooms" }).getByRole("link", { name: "Takes" }).click();
  await takeRow(page, take).click();
  await page.getByRole("button", { name: /^Unravel \d+ tracks? onto/ }).click();
  await expect(page.getByRole("grid", { name: "Tracks" })).toBeVisible();
}

export const track = (page: Page, name: string) => page.getByRole("row", { name: `Track ${name}`, exact: true });

export async function chooseSpec(page: Page, title: string) {
  await page.getByTitle("The delivery spec that the outputs come from").click();
  const dialog = page.getByRole("dialog", { name: "Delivery spec" });
  await dialog.locator("li").filter({ has: page.getByText(title, { exact: true }) }).getByRole("button").click();
  await expect(dialog).toBeHidden();
}
