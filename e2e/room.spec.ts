// The Loom as a room: knots by the block, two looks at the weave, patterns, listening checks, and clips and curves without a mouse.
import { readFileSync } from "node:fs";

import { expect, test, type Page } from "./test";

import { bringIn, chooseSpec, crossing, meets, newProduction, track, unravel } from "./rooms";

async function ready(page: Page, name: string) {
  await newProduction(page, name);
  await bringIn(page, "Recorder card LF03", ["LF03"], ["LF03_12A_T03.wav"]);
  await unravel(page, /12A.*take 3/);
  await chooseSpec(page, "Six-channel split");
}

const reelOf = async (page: Page) => {
  const id = /loom\/([0-9a-f-]+)/.exec(page.url())![1]!;
  return (await (await page.request.get(`/api/v1/reels/${id}`)).json()) as {
    tracks: {
      id: string;
      name: string;
      curves?: Record<string, { at: number; value: number }[]>;
      gain?: { at: number; value: number }[];
    }[];
    clips: { track: string; start: number; offset: number }[];
    knots: { row: string }[];
  };
};

test("knots are tied along a diagonal, in blocks, for all chosen tracks and for a whole group", async ({ page }) => {
  await ready(page, "The Lantern Ferry, blocks");
  const middle = async (row: string, column: string) => {
    const b = (await (await crossing(page, row, column)).boundingBox())!;
    return [b.x + b.width / 2, b.y + b.height / 2] as const;
  };
  await test.step("a drag along the diagonal", async () => {
    const to = await middle("Ines lav", "Music R");
    const from = await middle("Boom", "Music L");
    await page.mouse.move(...from);
    await page.mouse.down();
    await page.mouse.move(...to, { steps: 4 });
    await page.mouse.up();
    await meets(page, "Boom", "Music L", /knot at 0 dB/);
    await meets(page, "Ines lav", "Music R", /knot at 0 dB/);
    await meets(page, "Boom", "Music R", /no knot/);
  });
  await test.step("all chosen tracks at once, as one step", async () => {
    await track(page, "Tobiah lav").click();
    await track(page, "Radio").click({ modifiers: ["ControlOrMeta"] });
    await (await crossing(page, "Radio", "Effects L")).click();
    await meets(page, "Tobiah lav", "Effects L", /knot at 0 dB/);
    await meets(page, "Radio", "Effects L", /knot at 0 dB/);
    await page.keyboard.press("Control+z");
    await meets(page, "Tobiah lav", "Effects L", /no knot/);
    await meets(page, "Radio", "Effects L", /no knot/);
  });
  await test.step("a block by keys alone: tied, set and cleared", async () => {
    await (await crossing(page, "Ines lav", "Effects L")).focus();
    await page.keyboard.press("Shift+ArrowRight");
    await page.keyboard.press("Shift+ArrowDown");
    await page.keyboard.press("Enter");
    const card = page.getByRole("dialog", { name: "Crossings" });
    await card.getByRole("button", { name: "Set all" }).press("Enter");
    await meets(page, "Tobiah lav", "Effects R", /knot at 0 dB/);
    expect((await reelOf(page)).knots.filter((k) => k.row === "track")).toHaveLength(6);
  });
  await test.step("by group: a mono goes to the middle of a pair", async () => {
    await page.keyboard.press("Escape");
    await page.keyboard.press("Shift+V");
    await meets(page, "Boom", "Music", /knots to 1 of 2 channels/);
    await meets(page, "Boom", "Dialogue", /reaches 2 of 2 channels/);
    await (await crossing(page, "Wheelhouse plant", "Music")).click();
    await meets(page, "Wheelhouse plant", "Music", /knots to 2 of 2 channels/);
    await page.keyboard.press("Escape");
    await page.keyboard.press("Shift+V");
    await meets(page, "Wheelhouse plant", "Music R", /knot at −3 dB/);
  });
});

test("a pattern makes a reel that is worked on like another, and goes out as a file", async ({ page }) => {
  await ready(page, "The Lantern Ferry, patterns");
  await (await crossing(page, "Radio", "Music L")).click();
  await meets(page, "Radio", "Music L", /knot at/);
  await track(page, "Radio").click();
  const menu = page.getByRole("button", { name: /; others$/ });
  const patterns = page.getByRole("dialog", { name: "Patterns" });
  await menu.click();
  await page.getByRole("menuitem", { name: /^Patterns/ }).click();
  await patterns.getByLabel("Name of the pattern").fill("Six and radio");
  await patterns.getByRole("button", { name: "Save", exact: true }).click();
  const saved = patterns.getByRole("listitem", { name: "Six and radio" });
  const [file] = await Promise.all([
    page.waitForEvent("download"),
    saved.getByRole("link", { name: "Write Six and radio to a file" }).click(),
  ]);
  const text = readFileSync(await file.path(), "utf8");
  expect(text).toMatch(/^pattern: 1\nname: Six and radio\n/);
  expect(text).toContain("output: music/L");
  await patterns.getByLabel("Bring in a pattern (YAML)…").setInputFiles({
    name: "by hand.yaml",
    mimeType: "application/yaml",
    buffer: Buffer.from(text.replace("name: Six and radio", "name: By hand")),
  });
  await expect(patterns.getByRole("listitem", { name: "By hand" })).toBeVisible();
  await page.keyboard.press("Escape");

  await menu.click();
  await page.getByRole("menuitem", { name: "A new reel…" }).click();
  await page.getByRole("dialog", { name: "A new reel" }).getByRole("textbox").first().fill("Reel 2");
  await page.getByRole("dialog", { name: "A new reel" }).getByRole("button", { name: "Make it" }).click();
  await expect(page.getByRole("button", { name: /^Reel Reel 2/ })).toBeVisible();
  await page.getByRole("navigation", { name: "Rooms" }).getByRole("link", { name: "Takes" }).click();
  await page
    .getByRole("listbox", { name: "Takes" })
    .getByRole("option", { name: /12A.*take 3/ })
    .click();
  await page.getByLabel("Reel to unravel onto").selectOption("Reel 2");
  await page.getByRole("button", { name: /^Unravel \d+ tracks? onto Reel 2/ }).click();
  await expect(track(page, "Radio")).toBeVisible();
  await menu.click();
  await page.getByRole("menuitem", { name: /^Patterns/ }).click();
  await patterns.getByRole("listitem", { name: "By hand" }).getByRole("button", { name: "Apply…" }).click();
  const apply = page.getByRole("dialog", { name: "Make Reel 2 as By hand" });
  await expect(apply.getByRole("region", { name: "Is made" })).toContainText("output group Dialogue");
  await apply.getByRole("button", { name: "Apply it" }).click();
  await meets(page, "Radio", "Music L", /knot at/);
  await meets(page, "Boom", "Dialogue L", /reached at −3 dB/);
  expect((await reelOf(page)).clips.length).toBeGreaterThan(3);
  await page.getByRole("button", { name: /^Undo: apply the pattern By hand/ }).click();
  await expect(page.getByText("No outputs yet")).toBeVisible();
});

test("what is heard is checked: mono, back to what was heard before, a signal to the outputs", async ({ page }) => {
  await ready(page, "The Lantern Ferry, checks");
  const listening = page.getByRole("button", { name: /^Listening to/ });
  await track(page, "Boom").click();
  await page.keyboard.press("Shift+Z");
  await expect(page.getByRole("button", { name: "Mono check" })).toBeVisible();
  await page.getByRole("button", { name: "Mono check" }).click();
  await page.keyboard.press("a");
  await expect(listening).toHaveAccessibleName("Listening to Boom");
  await page.keyboard.press("Shift+G");
  await expect(listening).not.toHaveAccessibleName("Listening to Boom");
  await page.keyboard.press("Shift+G");
  await expect(listening).toHaveAccessibleName("Listening to Boom");
  await (await crossing(page, "Boom", "Music L")).focus();
  await page.keyboard.press("Alt+s");
  await expect(listening).toHaveAccessibleName("Listening to Music L");
  await listening.click();
  await page.getByRole("menuitem", { name: /^Say the name of each output/ }).click();
  await expect(page.getByText("A signal is sent to outputs")).toBeVisible();
  await page.getByRole("button", { name: "Stop", exact: true }).click();
  await expect(page.getByText("A signal is sent to outputs")).toHaveCount(0);
  await page.getByRole("button", { name: "Listen to Music L alone" }).click({ button: "right" });
  await page.getByRole("menuitem", { name: "Send a tone to it" }).click();
  await expect(page.getByText("A signal is sent to outputs")).toBeVisible();
  await page.keyboard.press("Space");
  await expect(page.getByText("A signal is sent to outputs")).toHaveCount(0);
});

test("clips and curves are worked on by keyboard alone", async ({ page }) => {
  await ready(page, "The Lantern Ferry, keys");
  await track(page, "Boom").getByRole("button", { name: /^Boom/ }).focus();
  await page.keyboard.press("Tab"); // the keyboard has the focus from now on
  await page.keyboard.press("Shift+Tab");
  await page.keyboard.press("Enter");
  await page.keyboard.press("."); // the first clip from the shuttle on
  await page.keyboard.press("Shift+B"); // untied, so that it goes alone
  await page.keyboard.press("Alt+ArrowDown");
  const place = async () => {
    const r = await reelOf(page);
    const boom = r.tracks.find((t) => t.name === "Boom")!;
    return r.clips.filter((c) => c.track === boom.id).length;
  };
  await expect.poll(place).toBe(0);
  await page.keyboard.press("Control+z");
  await expect.poll(place).toBe(1);
  await page.keyboard.press("i");
  await page.getByRole("tab", { name: "Row" }).press("Enter");
  const curve = page.getByRole("region", { name: "Curve", exact: true });
  await curve.getByRole("button", { name: "at the playhead" }).press("Enter");
  await curve.getByLabel("Value of point 1").fill("-6");
  await curve.getByLabel("Value of point 1").press("Enter");
  const gain = async () => (await reelOf(page)).tracks.find((t) => t.name === "Boom")!.gain?.map((q) => q.value);
  await expect.poll(gain).toEqual([-6]);
  await expect(track(page, "Boom").getByRole("img", { name: "Moves by curves: gain" })).toBeVisible();
  await curve.getByLabel("Value of point 1").fill("loud");
  await curve.getByLabel("Value of point 1").press("Enter");
  await expect(page.getByText(/Type a figure/)).toBeVisible();
});
