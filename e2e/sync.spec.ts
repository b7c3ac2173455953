// From a card and a camera's movies to named, tied takes on a reel.
import { expect, test } from "./test";

import { bringIn, newProduction, takeRow, track } from "./rooms";

test("takes find their movies, are judged, tied and unravelled in sync", async ({ page }) => {
  await newProduction(page, "The Lantern Ferry, sync");
  await bringIn(page, "Recorder card LF03", ["LF03"], ["LF03_12A_T03.wav", "LF03_12B_T01.wav", "LF03_12A_T02.wav"]);
  await bringIn(page, "Camera card A003", ["A003"], ["A003C001.mov", "A003C002.mov", "A003C004.mov"]);
  for (const movie of [/A003C001/, /A003C002/, /A003C004/]) await expect(takeRow(page, movie)).toBeVisible(); // in whatever order they come
  await expect(takeRow(page, /12B.*take 1/)).toBeVisible();
  await page.getByRole("navigation", { name: "Rooms" }).getByRole("link", { name: "Sync" }).click();
  const matches = page.getByRole("listbox", { name: "Matches" });
  await expect(matches.getByRole("option")).toHaveCount(3);
  await page.getByRole("button", { name: "Line up" }).click();
  await expect(page.getByText("2 of 3 takes found their place")).toBeVisible({ timeout: 60_000 });
  await expect(matches.getByRole("option", { name: /12A, take 2/ })).toContainText("None of the 3 references sounds like it");

  const first = matches.getByRole("option", { name: /12A, take 3/ });
  await first.click();
  await expect(page.getByRole("heading", { name: "12A, take 3 in A003C001" })).toBeVisible();
  await expect(page.getByText("+108 fr 4 smp")).toBeVisible(); // 4.32 s on a clock that is 21 ppm fast
  await expect(page.getByText(/^\+2[01]\.\d\d ppm/)).toBeVisible();

  await test.step("it is nudged and nudged back", async () => {
    await page.getByRole("button", { name: "+1 frame" }).click();
    await expect(page.getByText("+109 fr 4 smp")).toBeVisible();
    await page.getByRole("button", { name: "back to what was found" }).click();
    await page.keyboard.press("ArrowRight");
    await expect(page.getByText("+108 fr 5 smp")).toBeVisible();
    await page.keyboard.press("ArrowLeft");
  });
  await test.step("it is heard against the movie", async () => {
    await page.getByRole("button", { name: "Left and right" }).click();
    await expect(page.getByRole("button", { name: "Left and right" })).toHaveAttribute("aria-pressed", "true");
    await page.getByRole("button", { name: "Left and right" }).click();
    await expect(page.getByRole("button", { name: "Left and right" })).toHaveAttribute("aria-pressed", "false");
  });
  await test.step("one is accepted, one refused, and undo unties", async () => {
    await page.getByRole("button", { name: "Accept and tie" }).click();
    await expect(first).toContainText("tied");
    await page.getByRole("button", { name: /^Undo: tie 12A\/3 to A003C001/ }).click();
    await expect(first).toContainText("found");
    await page.getByRole("button", { name: "Accept and tie" }).click();
    await expect(first).toContainText("tied");
    const other = matches.getByRole("option", { name: /12B, take 1/ });
    await other.click();
    await expect(page.getByRole("heading", { name: "12B, take 1 in A003C002" })).toBeVisible();
    await page.getByRole("button", { name: "Refuse" }).click();
    await expect(other).toContainText("refused");
  });
  await test.step("the drift is undone by resampling, and the names go with the take", async () => {
    await first.click();
    await page.getByRole("button", { name: "Resample to undo the drift" }).click();
    await expect(page.getByText("The two clocks agree.")).toBeVisible({ timeout: 30_000 });
    await page.getByRole("navigation", { name: "Rooms" }).getByRole("link", { name: "Takes" }).click();
    await takeRow(page, /12A.*take 3/).click();
    await expect(page.getByText(/Resampled to undo a drift of 2\d\.\d\d ppm/)).toBeVisible();
    await expect(page.getByText("Tied to A003C001")).toBeVisible();
    await page.getByRole("button", { name: "Unravel 5 tracks onto a new reel" }).click();
    await expect(track(page, "Ines lav")).toBeVisible();
  });
});
