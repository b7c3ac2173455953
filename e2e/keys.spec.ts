// The whole job is done by keys, within a budget: from a card to a proven print, with a gain, a knot and a cut on the way.
import { newProduction } from "./rooms";
import { expect, test, type Page } from "./test";

/** How many keys all of it may take but for what is typed, and how many in a row to come to one thing. */
const most = 150;
const inARow = 12;

class Hand {
  pressed = 0;
  constructor(private page: Page) {}

  async press(...keys: string[]) {
    for (const key of keys) {
      await this.page.keyboard.press(key);
      this.pressed++;
    }
  }

  type = (text: string) => this.page.keyboard.type(text);

  /** What has the focus is called. */
  here = () =>
    this.page.evaluate(() => {
      const e = document.activeElement as HTMLElement | null;
      return !e?.matches("button, a, input, select, [role=gridcell], [role=option], [role=menuitem], [tabindex='0']")
        ? ""
        : (e.getAttribute("aria-label") ?? (e as HTMLInputElement).labels?.[0]?.innerText ?? e.innerText ?? "");
    });

  /** Goes on by a key until something of that name has the focus. */
  async to(name: RegExp, key = "Tab") {
    const on: string[] = [];
    for (let i = 0; i < inARow; i++) {
      if (name.test(await this.here())) return;
      await this.press(key);
      on.push(await this.here());
    }
    if (!name.test(await this.here())) throw new Error(`${inARow} times ${key} did not come to ${name}: ${on.join(" · ")}`);
  }

  /** Does a command by its name. */
  async find(text: string) {
    await this.press("Control+k");
    await expect(this.page.getByLabel("Find a command")).toBeFocused();
    await this.type(text);
    await this.press("Enter");
  }
}

test("the whole job is done by keys, within a budget", async ({ page }) => {
  await newProduction(page, "The Lantern Ferry, by keys alone");
  const hand = new Hand(page);

  await test.step("in from a card", async () => {
    await hand.press("b");
    await expect(page.getByRole("dialog", { name: "Bring in takes" })).toBeVisible();
    await hand.to(/Recorder card LF03/);
    await hand.press("Enter");
    await hand.to(/^LF03$/);
    await hand.press("Enter");
    await expect(page.getByLabel("LF03_12A_T03.wav")).toBeVisible();
    await hand.to(/LF03_12A_T03/);
    await hand.press("Space");
    await hand.press("Control+Enter");
    await expect(page.getByRole("listbox", { name: "Takes" }).getByRole("option", { name: /12A/ })).toBeVisible();
  });

  await test.step("onto a reel, with a spec", async () => {
    await expect(page.getByRole("button", { name: /^Unravel \d+ tracks? onto/ })).toBeVisible();
    await hand.press("u");
    await expect(page.getByRole("group", { name: "Tracks" })).toBeVisible();
    await hand.find("promo kit");
    await expect(page.getByRole("grid", { name: "The weave", exact: true })).toBeVisible();
  });

  await test.step("a gain, and back to where one was", async () => {
    await hand.press("ArrowDown", "ArrowDown", "Shift+T");
    await expect.poll(hand.here).toMatch(/^Gain of the (clip|track) in dB$/);
    await hand.type("-4");
    await hand.press("Enter");
    await expect(page.getByRole("button", { name: /^Undo: gain/ })).toBeVisible();
    await hand.press("Space"); // is the room's again
    await expect(page.getByRole("button", { name: "Stop", exact: true })).toBeVisible();
    await hand.press("Space");
    await hand.press("Control+k");
    await expect(page.getByLabel("Find a command")).toBeFocused();
    await hand.press("Escape");
  });

  await test.step("a knot", async () => {
    await hand.press("Alt+r");
    await expect.poll(hand.here).toMatch(/ to .*: /);
    for (let i = 0; i < inARow - 1; i++) await hand.press("ArrowRight"); // at the edge it stays
    await hand.press("Enter");
    await expect(page.getByRole("button", { name: /^Undo: .*knot|^Undo: tie/ })).toBeVisible();
  });

  await test.step("a cut, at a timecode", async () => {
    await hand.press("Escape");
    await expect.poll(hand.here, { message: "back at the crossing" }).toMatch(/ to .*: /);
    await hand.press("g");
    await hand.type("10:00:36:00");
    await hand.press("Enter", "Alt+c");
    await expect(page.getByRole("button", { name: /^Undo: cut/ })).toBeVisible();
  });

  await test.step("measured, and printed", async () => {
    await hand.press("Alt+4");
    await expect(page.getByRole("heading", { name: /Gauge/ }).first()).toBeAttached();
    await hand.press("Alt+5");
    await expect(page.getByRole("button", { name: /^Print (the file|\d+ files)/ })).toBeEnabled({ timeout: 30_000 });
    await hand.press("Control+Enter");
    await expect(page.getByRole("heading", { name: /Delivered and proven|found wanting|refuses it/ })).toBeVisible({ timeout: 60_000 });
  });

  expect(hand.pressed, "keys in all").toBeLessThanOrEqual(most);
});
