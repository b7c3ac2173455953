// Nothing that was ever on the screen is lost: over a server that is away, one that is killed, answers that are lost, and tabs that are closed.
import { execFile } from "node:child_process";
import { promisify } from "node:util";

import type { BrowserContext } from "@playwright/test";

import { Line } from "./line";
import { bringIn, newProduction, takeRow, track, unravel } from "./rooms";
import { killed, start } from "./server";
import { expect, test, type Page } from "./test";

/** How many edits are made while everything goes wrong; more by E2E_EDITS. */
const edits = Number(process.env.E2E_EDITS ?? 40);
/** Then the line is slow as well, and the database loses everybody once a minute. */
const long = process.env.E2E_EDITS !== undefined;
const run = promisify(execFile);

/** Ends all connections to the database but its own, as a database does that is started anew. */
const databaseLosesAll = () =>
  run("psql", [
    process.env.ZESTYLOOM_DATABASE!,
    "-qc",
    "select pg_terminate_backend(pid) from pg_stat_activity where datname = current_database() and pid <> pg_backend_pid()",
  ]);

type Step = { kind: string; name: string; state: string; author: string };

/** A reel of five tied clips; its address. */
async function aReel(page: Page, name: string): Promise<string> {
  await newProduction(page, name);
  await bringIn(page, "Recorder card LF03", ["LF03"], ["LF03_12A_T03.wav"]);
  await unravel(page, /12A.*take 3/);
  await expect(track(page, "Ines lav")).toBeVisible();
  return new URL(page.url()).pathname;
}

const reelOf = (path: string) => path.split("/").at(-1)!;

/** Asks a server that no page stands before. */
async function ask(context: BrowserContext, url: string, path: string): Promise<unknown> {
  return (await context.request.get(`${url}/api/v1${path}`)).json();
}

const gain = async (page: Page, name: string, dB: number) => {
  await track(page, name).click();
  const field = page.getByLabel("Gain of the track in dB");
  await field.fill(String(dB));
  await page.keyboard.press("Enter");
};

const waits = (page: Page) => page.locator("[data-waits]");
const rests = (page: Page, timeout = 30_000) => expect(waits(page)).toHaveAttribute("data-waits", "0", { timeout });

/** The core is there: an edit is on the screen before anybody has asked the server. */
async function planning(page: Page) {
  await expect(track(page, "Boom")).toBeVisible();
  await expect
    .poll(() => page.evaluate(() => performance.getEntriesByType("resource").length), { message: "all that comes has come" })
    .toBeGreaterThan(5);
  await page.waitForTimeout(2500);
}

test("what is edited while the server is away is on the screen, waits, and is made when it is back", async ({ page, context }) => {
  const path = await aReel(page, "The Lantern Ferry, away");
  let { server, url } = await start("127.0.0.1:0", "ahead");
  const address = new URL(url).host;
  try {
    await page.goto(url + path);
    await planning(page);
    const before = (await ask(context, url, `/reels/${reelOf(path)}/history`)) as Step[];
    await killed(server);

    await track(page, "Boom").getByRole("button", { name: "Mute Boom" }).click();
    await expect(track(page, "Boom").getByRole("button", { name: "Mute Boom" })).toHaveAttribute("aria-pressed", "true", { timeout: 1000 });
    await gain(page, "Ines lav", -3);
    await gain(page, "Ines lav", -5);
    await page.keyboard.press("Control+z");
    await expect(page.getByLabel("Gain of the track in dB")).toHaveValue("-3");
    await page.keyboard.press("Control+Shift+z");
    await expect(page.getByLabel("Gain of the track in dB")).toHaveValue("-5");
    await page.getByRole("button", { name: "Add a track" }).click(); // what an edit makes can be edited before the server knows of it
    await page.getByRole("menuitem", { name: /A mono track/ }).click();
    await gain(page, "Track 6", -7);
    await expect(page.getByText("7 edits wait for the server")).toBeVisible();

    ({ server, url } = await start(address, "ahead"));
    await rests(page);
    await expect(page.getByText(/edits? waits? for the server/)).toHaveCount(0);
    const steps = ((await ask(context, url, `/reels/${reelOf(path)}/history`)) as Step[]).slice(0, -before.length).reverse();
    expect(steps.map((s) => `${s.kind} ${s.name}`)).toEqual([
      "do mute Boom",
      "do gain of Ines lav",
      "do gain of Ines lav",
      "undo gain of Ines lav",
      "redo gain of Ines lav",
      "do add track Track 6",
      "do gain of Track 6",
    ]);
    const { tracks } = (await ask(context, url, `/reels/${reelOf(path)}`)) as { tracks: { name: string; gainDB: number; mute: boolean }[] };
    const of = (name: string) => tracks.find((t) => t.name === name)!;
    expect(of("Boom").mute).toBe(true);
    expect(of("Ines lav").gainDB).toBe(-5);
    expect(of("Track 6").gainDB).toBe(-7);

    // All of it again, and the tab is closed before the server is back.
    await killed(server);
    await gain(page, "Ines lav", -8);
    await track(page, "Boom").getByRole("button", { name: "Mute Boom" }).click();
    await expect(waits(page)).toHaveAttribute("data-waits", "2");
    await page.close();
    ({ server, url } = await start(address, "ahead"));
    const again = await context.newPage();
    await again.goto(url + path);
    await rests(again);
    await expect(track(again, "Boom").getByRole("button", { name: "Mute Boom" })).toHaveAttribute("aria-pressed", "false");
    const after = (await ask(context, url, `/reels/${reelOf(path)}`)) as { tracks: { name: string; gainDB: number; mute: boolean }[] };
    expect(after.tracks.find((t) => t.name === "Ines lav")!.gainDB).toBe(-8);
    expect(after.tracks.find((t) => t.name === "Boom")!.mute).toBe(false);
    expect((await ask(context, url, `/reels/${reelOf(path)}/history`)) as Step[]).toHaveLength(before.length + 9);
  } finally {
    await killed(server);
  }
});

test("over answers that are lost, a slow line and a server that is killed, every edit is made once, in order", async ({
  page,
  context,
}) => {
  test.setTimeout(120_000 + edits * 2000);
  const path = await aReel(page, "The Lantern Ferry, bad luck");
  let { server, url } = await start("127.0.0.1:0", "ahead");
  const address = new URL(url).host;
  const line = await Line.to(url);
  try {
    await page.goto(line.url + path);
    await planning(page);
    const before = ((await ask(context, url, `/reels/${reelOf(path)}/history`)) as Step[]).length;
    Object.assign(line, { delay: long ? 400 : 60, loses: 3 });
    let lost = Date.now();
    let tab = page;
    const made: string[] = [];
    for (let i = 0; i < edits; i++) {
      if (long && Date.now() - lost > 60_000) {
        await databaseLosesAll();
        lost = Date.now();
      }
      if (i % 13 === 5) await killed(server);
      if (i % 13 === 9 && (server.exitCode !== null || server.signalCode !== null)) ({ server, url } = await start(address, "ahead"));
      if (i % 17 === 12) {
        const next = await context.newPage();
        if (tab !== page) await tab.close();
        // A page that is opened needs somebody who answers; whose answer is lost is asked again, as anybody would.
        if (server.exitCode !== null || server.signalCode !== null) ({ server, url } = await start(address, "ahead"));
        await expect(() => next.goto(line.url + path)).toPass();
        tab = next;
        await expect(track(tab, "Boom")).toBeVisible();
      }
      const name = ["Boom", "Ines lav", "Tobiah lav", "Radio"][i % 4]!;
      const dB = -1 - (i % 91); // none is as loud as the one before of its track, and none softer than there is
      await gain(tab, name, dB);
      await expect(tab.getByLabel("Gain of the track in dB")).toHaveValue(String(dB));
      made.push(`${name} ${dB}`);
    }
    if (server.exitCode !== null || server.signalCode !== null) ({ server, url } = await start(address, "ahead"));
    await rests(tab, long ? 600_000 : 30_000); // one after another, over a slow line
    expect(line.lost).toBeGreaterThan(2);
    const all: (Step & { revision: number })[] = [];
    for (let page: typeof all | null = null; page?.length !== 0; all.push(...page))
      page = (await ask(context, url, `/reels/${reelOf(path)}/history?limit=500&before=${all.at(-1)?.revision ?? 2 ** 40}`)) as typeof all;
    const steps = all.slice(0, -before).reverse();
    expect(steps.map((s) => s.name)).toEqual(made.map((m) => `gain of ${m.replace(/ -\d+$/, "")}`));
    const { tracks } = (await ask(context, url, `/reels/${reelOf(path)}`)) as { tracks: { name: string; gainDB: number }[] };
    for (const name of ["Boom", "Ines lav", "Tobiah lav", "Radio"])
      expect(`${name} ${tracks.find((t) => t.name === name)!.gainDB}`).toBe(made.findLast((m) => m.startsWith(name)));
    await expect(tab.getByText(/not made/)).toHaveCount(0);
  } finally {
    line.close();
    await killed(server);
  }
});

test("what the server does not make, since somebody else was there first, is listed, and done again or let go", async ({
  page,
  browser,
}) => {
  await page.addInitScript(() => localStorage.setItem("loom.author", "Ines"));
  const path = await aReel(page, "The Lantern Ferry, first");
  const url = new URL(page.url()).origin;
  const line = await Line.to(url);
  const theirs = await browser.newContext({ baseURL: url });
  await theirs.addInitScript(() => localStorage.setItem("loom.author", "Tobiah"));
  try {
    const other = await theirs.newPage();
    await other.goto(path);
    await expect(track(other, "Boom")).toBeVisible();
    await page.goto(line.url + path);
    await planning(page);
    line.sever();
    await gain(page, "Boom", -3);
    await gain(page, "Ines lav", -4);
    await track(page, "Radio").getByRole("button", { name: "Mute Radio" }).click();
    await expect(page.getByText("3 edits wait for the server")).toBeVisible();
    await gain(other, "Boom", -9);
    await gain(other, "Ines lav", -10);
    await gain(other, "Radio", -11);
    await rests(other);
    line.mend();
    await rests(page);
    await page.getByRole("button", { name: "2 edits were not made" }).click();
    const list = page.getByRole("dialog", { name: "What the server did not make" });
    const item = (name: string) => list.getByRole("listitem").filter({ hasText: name });
    await expect(item("gain of Boom")).toContainText("Tobiah has changed the same in the meantime");
    await item("gain of Boom").getByRole("button", { name: "Do it again" }).click();
    await expect(item("gain of Boom")).toHaveCount(0);
    await item("gain of Ines lav").getByRole("button", { name: "Let it go" }).click();
    await expect(list).toHaveCount(0);
    await rests(page);
    const { tracks } = (await (await theirs.request.get(`/api/v1/reels/${reelOf(path)}`)).json()) as {
      tracks: { name: string; gainDB: number; mute: boolean }[];
    };
    const of = (name: string) => tracks.find((t) => t.name === name)!;
    expect([of("Boom").gainDB, of("Ines lav").gainDB, of("Radio").gainDB, of("Radio").mute]).toEqual([-3, -10, -11, true]);
  } finally {
    line.close();
    await theirs.close();
  }
});

test("what is changed of a take while the server is away is changed once it is back, tab or no tab", async ({ page, context }) => {
  const path = await aReel(page, "The Lantern Ferry, errands");
  const url = new URL(page.url()).origin;
  const line = await Line.to(url);
  const production = path.split("/")[2]!;
  type Listed = { id: string; description: { note: string; scene: string; circled: boolean } };
  const take = async () => ((await ask(context, url, `/productions/${production}/takes`)) as { takes: Listed[] }).takes[0]!;
  try {
    await page.goto(`${line.url}/p/${production}/takes`);
    await takeRow(page, /12A.*take 3/).click();
    const circled = (await take()).description.circled;
    const note = page.getByRole("button", { name: /^Note/ });
    line.sever();
    await note.click();
    await page.getByLabel("Note", { exact: true }).fill("boat horn at the end");
    await page.keyboard.press("Enter");
    await page.getByRole("button", { name: /^This take is (not )?circled/ }).click();
    await expect(waits(page)).toHaveAttribute("data-waits", "2");
    await expect(page.getByText("2 edits wait for the server")).toBeVisible();
    line.mend();
    await rests(page);
    await expect(page.getByText("boat horn at the end").first()).toBeVisible();
    expect((await take()).description).toMatchObject({ note: "boat horn at the end", circled: !circled });

    // The answer is lost, and the tab is closed before it is back.
    line.loses = 1;
    await page.getByRole("button", { name: /^This take is (not )?circled/ }).click();
    await expect.poll(() => line.lost).toBeGreaterThan(0);
    line.sever();
    await page.close();
    const somebody = { slate: { circled: !circled } }; // has it as it was before in the meantime
    const { id } = await take();
    expect((await context.request.patch(`${url}/api/v1/takes/${id}`, { data: somebody })).ok()).toBe(true);
    line.loses = 0;
    line.mend();
    const again = await context.newPage();
    await again.goto(`${line.url}/p/${production}/takes`);
    await rests(again);
    expect((await take()).description.circled).toBe(!circled); // it had been done, and is not done twice
    await expect(again.getByText(/not made/)).toHaveCount(0);
  } finally {
    line.close();
  }
});
