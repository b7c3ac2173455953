// Every screen, for those who see, hear or point otherwise: without a violation that axe finds, by day and by night, and at 200 % zoom with
// everything within reach.
import { faint, violations } from "./axe";
import { expect, test } from "./test";

import { screens } from "./screens";

for (const [name, open] of Object.entries(screens))
  if (!["Loom", "Gauge"].includes(name))
    // axe.spec.ts looks at them in more states
    test(`axe finds nothing wrong with ${name}, by day and by night`, async ({ page }) => {
      test.setTimeout(90_000);
      await page.addInitScript(() => localStorage.setItem("loom.light", "day"));
      await open(page);
      expect(await violations(page)).toEqual([]);
      // By night it is the same in other colours.
      await page.evaluate(() => (document.documentElement.dataset.light = "night"));
      await page.waitForTimeout(250); // till nothing goes over any more
      expect(await faint(page)).toEqual([]);
    });

for (const [name, open] of Object.entries(screens))
  test(`at 200 % zoom, everything of ${name} can be brought into view`, async ({ page }) => {
    test.setTimeout(90_000);
    await page.setViewportSize({ width: 640, height: 400 });
    await open(page);
    await page.waitForTimeout(300); // the page lays itself out anew
    const lost = await page.evaluate(() => {
      const inDialog = document.querySelector("[role=dialog]");
      const all = [...(inDialog ?? document).querySelectorAll<HTMLElement>("button, a[href], input, select, textarea, [tabindex='0']")];
      return all
        .filter(
          (el) => el.checkVisibility({ visibilityProperty: true, opacityProperty: false }) && !el.closest(".sr-only, [aria-hidden=true]"),
        )
        .filter((el) => {
          const r0 = el.getBoundingClientRect();
          if (r0.width <= 1 || r0.height <= 1) return false; // it is there for a screen reader
          el.scrollIntoView({ block: "nearest", inline: "nearest" });
          const r = el.getBoundingClientRect();
          const reached = (x: number, y: number) => {
            if (x < 0 || y < 0 || x > innerWidth || y > innerHeight) return false;
            const there = document.elementFromPoint(x, y);
            return !!there && (el.contains(there) || there.contains(el) || !!there.closest("label")?.contains(el));
          };
          // Something that is longer than the page, or lies under an edge, is reached where it can be.
          const parts = Array.from({ length: 41 }, (_, i) => (i + 0.5) / 41);
          return !parts.some((v) => [0.5, 0.1, 0.9].some((h) => reached(r.x + r.width * h, r.y + r.height * v)));
        })
        .map((el) => `${el.tagName} ${el.getAttribute("aria-label") ?? el.textContent?.trim().slice(0, 40)}`);
    });
    expect(lost).toEqual([]);
  });

test("no dialog is wider than what it stands in", async ({ page }) => {
  const fits = async (title: RegExp) => {
    const dialog = page.getByRole("dialog", { name: title });
    await expect(dialog).toBeVisible();
    const over = await dialog.evaluate(
      (d) =>
        [...d.querySelectorAll<HTMLElement>("*")].filter((e) => {
          const scrolls = ["auto", "scroll"].includes(getComputedStyle(e).overflowX);
          return scrolls && !e.matches("textarea, pre, .wide-table") && e.scrollWidth > e.clientWidth + 1;
        }).length,
    );
    expect(over, `${title} scrolls sideways`).toBe(0);
    await page.keyboard.press("Escape");
    await expect(dialog).toBeHidden();
  };
  await screens.Loom!(page);
  for (const [item, title] of [
    ["A new reel…", /^A new reel/],
    ["Patterns: save this one’s, apply another…", /[Pp]attern/],
    ["Cut list of this reel…", /^Cut list of/],
    ["Hand this reel over…", /^Hand over/],
    ["Remove this reel…", /[Rr]emove/],
  ] as const) {
    await page.getByRole("button", { name: /; others$/ }).click();
    await page.getByRole("menuitem", { name: item }).click();
    await fits(title);
  }
  for (const name of ["the delivery specs", "bringing in", "keys and words", "finding a command"]) {
    await screens[name]!(page);
    await fits(/./);
  }
  await screens.Takes!(page);
  await page.getByRole("button", { name: "For all takes: sound report, stems and rules" }).click();
  await page.getByRole("menuitem", { name: "Stems, strands and rules…" }).click();
  await fits(/^Stems, rules and words/);
});
