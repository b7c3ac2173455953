// The classic mistakes of a mix with languages, an LFE and two orders: pointed out, set right in one press each, and printed as meant.
import { expect, test, type Page } from "./test";

import { bringIn, chooseSpec, newProduction, scenario, takeRow, track } from "./rooms";
import { readWave, type WaveFile } from "./wave";

const surround = ["L", "R", "C", "LFE", "Ls", "Rs"];

type View = {
  revision: number;
  mixes: { id: string; name: string }[];
  groups: { id: string; name: string }[];
  tracks: { id: string; name: string }[];
};

async function printed(page: Page, name: RegExp): Promise<WaveFile> {
  const [d] = await Promise.all([page.waitForEvent("download"), page.getByRole("link", { name }).click()]);
  return readWave(await d.path());
}

test("two languages in a mix, film order, an LFE fed with everything and a lost 3 dB are set right, and heard where they belong", async ({
  page,
}) => {
  await newProduction(page, "The Lantern Ferry, classics");
  await bringIn(page, "Sound library", ["narration"], ["Narration English.wav", "Narration Portuguese.wav"]);
  await bringIn(page, "Sound library", ["effects"], ["Winch.wav"]);
  await expect(page.getByRole("listbox", { name: "Takes" }).getByRole("option")).toHaveCount(3);
  await takeRow(page, /Narration English/).click();
  await page.keyboard.press("Control+a");
  await page.getByRole("button", { name: "Lay 3 takes onto a new reel…" }).click();
  await page
    .getByRole("dialog", { name: /^Lay them onto/ })
    .getByRole("button", { name: "Lay them" })
    .click();
  await expect(track(page, "Winch")).toBeVisible();
  await chooseSpec(page, "Six-channel split");

  const id = /loom\/([0-9a-f-]+)/.exec(page.url())![1]!;
  const reel = async () => (await (await page.request.get(`/api/v1/reels/${id}`)).json()) as View;
  const command = async (kind: string, command: (v: View) => object) => {
    const v = await reel();
    const answer = await page.request.post(`/api/v1/reels/${id}/commands`, { data: { revision: v.revision, kind, command: command(v) } });
    expect(answer.ok(), await answer.text()).toBe(true);
  };
  await test.step("the mistakes", async () => {
    await command("removeGroups", (v) => ({ groups: v.groups.map((g) => g.id), yes: true }));
    await command("setMix", () => ({ name: "English", language: "eng", labels: surround, rest: true }));
    await command("setMix", () => ({
      name: "M&E",
      labels: surround,
      rest: true,
      terms: [{ row: "stem", from: "NX", gainDB: 0, out: true }],
    }));
    for (const [name, order] of [
      ["M&E", "smpte"],
      ["English", "film"],
    ])
      await command("setGroup", (v) => ({
        name: `${name} 5.1`,
        layout: "5.1",
        order,
        feed: { row: "mix", from: v.mixes.find((m) => m.name === name)!.id },
      }));
    await command("setGroup", () => ({ name: "Voice", tag: "VOICE", layout: "dual mono", feed: { row: "stem", from: "NX" } }));
    await command("setKnots", (v) => ({
      knots: [{ row: "stem", from: "FX", channel: 0, output: `${v.groups.find((g) => g.name === "English 5.1")!.id}/LFE`, gainDB: 0 }],
    }));
    for (const [name, strand] of [
      ["Narration English", "English"],
      ["Narration Portuguese", "Portuguese"],
    ])
      await command("setTrack", (v) => ({ track: v.tracks.find((t) => t.name === name)!.id, strand }));
  });

  const look = page.getByRole("button", { name: /routes? to look at/ });
  const accept = async (says: RegExp, fix: string) => {
    await look.click();
    await expect(page.getByRole("menuitem", { name: says }).first()).toBeVisible();
    await page.getByRole("menuitem", { name: fix, exact: true }).first().click();
    await look.click();
    await expect(page.getByRole("menuitem", { name: fix, exact: true })).toHaveCount(0);
    await page.keyboard.press("Escape");
  };
  await test.step("each is pointed out and set right in one press", async () => {
    await accept(/The mix English has the narration of English and Portuguese at once/, "Only English in English");
    await accept(/The channels of English 5\.1 lie in the order L C R Ls Rs LFE; M&E 5\.1 has L R C LFE Ls Rs/, "Put them in that order");
    await accept(/English 5\.1 LFE is fed with all of Effects, which is no LFE/, "Clear that knot");
    await accept(/Narration English loses 3 dB on the way to Voice/, "Send Narration English at unity to both sides");
  });

  await test.step("and what is printed has each where it belongs", async () => {
    for (const name of ["Winch", "Narration Portuguese"]) await page.getByRole("button", { name: `Mute ${name}`, exact: true }).click();
    await page.getByRole("navigation", { name: "Rooms" }).getByRole("link", { name: "Print" }).click();
    await page.getByLabel("One file a group").check();
    await page.getByRole("button", { name: /^Print \d files/ }).click();
    await expect(page.getByRole("heading", { name: /Delivered and proven|found wanting|refuses it/ })).toBeVisible({ timeout: 60_000 });
    const source = readWave(`${scenario}/library/narration/Narration English.wav`);
    const mix = await printed(page, /ENGLISH/);
    const voice = await printed(page, /VOICE/);
    expect([mix.channels, voice.channels]).toEqual([6, 2]);
    const worst = [0, 0, 0, 0, 0, 0, 0, 0];
    for (let i = 0; i < source.frames; i += 3) {
      // Dual mono puts the narration at unity on both sides of its stem, and so into the front left and right of the mix.
      for (const c of [0, 1]) worst[c] = Math.max(worst[c]!, Math.abs(mix.sample(i, c) - source.sample(i, 0)));
      for (const c of [2, 3, 4, 5]) worst[c] = Math.max(worst[c]!, Math.abs(mix.sample(i, c)));
      for (const c of [0, 1]) worst[6 + c] = Math.max(worst[6 + c]!, Math.abs(voice.sample(i, c) - source.sample(i, 0)));
    }
    expect(
      worst.map((w) => w <= 3),
      `left and right carry it at unity, all else is silent, within dither: ${worst.join(" ")}`,
    ).toEqual(Array(8).fill(true));
  });
});
