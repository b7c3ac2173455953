// What is chosen is known by its ID: where it is gone that is said, and nothing else takes its place without a word.
import { bringIn, newProduction, takeRow, unravel } from "./rooms";
import { expect, test } from "./test";

test("a link to what was removed says so; what was set for one reel is not there for the next; a search takes what it hides out of what is chosen", async ({
  page,
}) => {
  await newProduction(page, "The Lantern Ferry, gone");
  await bringIn(page, "Recorder card LF03", ["LF03"], ["LF03_12A_T01.wav", "LF03_12A_T03.wav", "LF03_14_T01.wav"]);
  await expect(page.getByRole("listbox", { name: "Takes" }).getByRole("option")).toHaveCount(3);
  await takeRow(page, /14 take 1/).click();
  const removed = page.url();
  const production = removed.split("/")[4]!;
  await takeRow(page, /12A take 1/).click();

  await test.step("a search", async () => {
    await page.keyboard.press("Control+a");
    await expect(page.getByRole("heading", { name: "3 takes" })).toBeVisible();
    await page.getByLabel("Find takes").fill("12A");
    await expect(page.getByRole("heading", { name: "2 takes" })).toBeVisible();
    await page.getByLabel("Find takes").fill("");
  });

  await test.step("a take, in Takes, in Sync and in Gauge", async () => {
    const id = removed.split("/").at(-1)!;
    expect((await page.request.delete(`/api/v1/takes/${id}`)).ok()).toBe(true);
    for (const room of ["takes", "sync", "gauge/files"]) {
      await page.goto(`/p/${production}/${room}/${id}`);
      await expect(page.getByRole("status").filter({ hasText: "is not here any more" }), room).toBeVisible();
    }
    await page.goto(`/p/${production}/takes/${id}`);
    await page.getByRole("button", { name: "Show the first take" }).click();
    await expect(page.getByRole("heading", { name: /12A/ }).first()).toBeVisible();
  });

  await test.step("a range to print", async () => {
    await unravel(page, /12A.*take 3/);
    const one = page.url().split("/").at(-1)!;
    const two = (
      (await (await page.request.post(`/api/v1/productions/${production}/reels`, { data: { name: "Reel 2" } })).json()) as { id: string }
    ).id;
    for (const reel of [one, two]) {
      const v = (await (await page.request.get(`/api/v1/reels/${reel}`)).json()) as { revision: number };
      expect(
        (await page.request.post(`/api/v1/reels/${reel}/spec`, { data: { spec: "promo-kit", revision: v.revision, yes: true } })).ok(),
      ).toBe(true);
    }
    await page.goto(`/p/${production}/print/${one}`);
    await page.getByLabel("Which part of the reel is printed").selectOption("typed");
    await page.getByLabel("Range as two timecodes").fill("10:00:33:00–10:00:40:00");
    await page.keyboard.press("Enter");
    await expect(page.getByLabel("Range as two timecodes")).toHaveValue(/10:00:33:00/);
    await page.getByRole("complementary").getByRole("combobox").first().selectOption({ label: "Reel 2" });
    await expect(page.getByRole("complementary").getByRole("combobox").first()).toHaveValue(two);
    await expect(page.getByLabel("Range as two timecodes")).toHaveCount(0);
  });
});
