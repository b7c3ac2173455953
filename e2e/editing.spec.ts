// Cutting in the real interface, by keyboard: cut, hush, dip, borrow, untie and tie back, on a server that is killed and
// started again in between. What is printed then is compared with the recordings sample by sample.
import { statSync } from "node:fs";
import { expect, test, type Page } from "./test";

import { bringIn, chooseSpec, chosen, goTo, meets, newProduction, range, scenario, track, unravel } from "./rooms";
import { killed, start } from "./server";
import { readWave } from "./wave";

/** Waits until undo would take back a step of this name: the server has it. */
const did = (page: Page, name: string | RegExp) => expect(page.getByRole("button", { name: /^Undo/ })).toHaveAccessibleName(name);

const second = 48000;

test("editing keeps what it should, and what is printed is what was cut", async ({ page }) => {
  let { server, url } = await start("127.0.0.1:0", "editing");
  try {
    await newProduction(page, "The Lantern Ferry, cutting");
    await bringIn(page, "Recorder card LF03", ["LF03"], ["LF03_12A_T03.wav", "LF03_12A_T01.wav"]);
    await expect(page.getByRole("listbox", { name: "Takes" }).getByRole("option")).toHaveCount(2);
    await unravel(page, /12A.*take 3/);
    await page.goto(new URL(page.url()).pathname.replace(/^/, url));
    await expect(track(page, "Ines lav")).toBeVisible();

    await test.step("a cut goes through everything that is tied", async () => {
      await track(page, "Ines lav").click();
      await goTo(page, "10:00:35:00");
      await page.keyboard.press("c");
      await did(page, /cut/i);
      await goTo(page, "10:00:36:00");
      for (const name of ["Boom", "Ines lav"]) {
        await track(page, name).click();
        await page.keyboard.press("Shift+W");
        await expect(page.getByLabel("Timecode at which the clip starts")).toHaveValue("10:00:35:00");
        await expect(chosen(page).getByText("tied to 4 other clips")).toBeVisible();
      }
    });

    await test.step("hush and dip a range of one channel", async () => {
      await range(page, "10:00:36:00", "10:00:37:00");
      await page.keyboard.press("h");
      await did(page, /hush/i);
      await range(page, "10:00:38:00", "10:00:39:00");
      await page.keyboard.press("d");
      await did(page, /dip/i);
    });

    await test.step("borrow a second from another take", async () => {
      await range(page, "10:00:40:00", "10:00:41:00");
      await page.keyboard.press("z");
      const list = page.getByRole("complementary", { name: "Borrow for Ines lav" });
      const lender = list.getByRole("group", { name: "From 12A/1" });
      await expect(lender).toBeVisible({ timeout: 30_000 });
      // The place stays in view beside the list, and each waveform is moved under the range by hand or by frames, and back.
      await expect(page.locator(".time-area")).toBeInViewport();
      const strip = lender.getByRole("img", { name: "Waveform of 12A/1 under the range" });
      const box = (await strip.boundingBox())!;
      await page.mouse.move(box.x + 100, box.y + 20);
      await page.mouse.down();
      await page.mouse.move(box.x + 140, box.y + 20, { steps: 4 });
      await page.mouse.up();
      const moved = lender.getByLabel("12A/1 is moved by");
      await expect(moved).not.toHaveText("0.0 fr");
      await page.mouse.move(box.x + 140, box.y + 20);
      await page.mouse.down();
      await page.mouse.move(box.x + 100, box.y + 20, { steps: 4 });
      await page.mouse.up();
      await expect(moved).toHaveText("0.0 fr");
      await lender.getByRole("button", { name: "Move 12A/1 5 frames later" }).click();
      await lender.getByRole("button", { name: "Move 12A/1 5 frames earlier" }).click();
      await page.keyboard.press("Escape");
      await expect(list).toBeHidden();
      await page.keyboard.press("z");
      await lender.getByRole("button", { name: "Lay it over: 12A/1" }).click();
      await did(page, /borrow/i);
    });

    await test.step("what would break sync says so first; one key ties it back", async () => {
      await page.keyboard.press("3"); // no more range
      await track(page, "Boom").click();
      await page.keyboard.press("Shift+W");
      // Dragged alone, with Shift: the product asks before it does so.
      const line = (await page.locator(".time-area span[aria-hidden]").first().boundingBox())!;
      const row = (await track(page, "Boom").boundingBox())!;
      const drag = async () => {
        await page.keyboard.down("Shift");
        await page.mouse.move(line.x + 30, row.y + 20);
        await page.mouse.down();
        await page.mouse.move(line.x + 50, row.y + 20, { steps: 4 });
        await page.mouse.up();
        await page.keyboard.up("Shift");
      };
      const warning = page.getByRole("dialog", { name: "This breaks sync" });
      // On a busy machine the press may rest so long that it listens instead: then once more.
      const ask = () =>
        expect(async () => {
          await drag();
          await expect(warning).toBeVisible({ timeout: 60_000 });
        }).toPass();
      await ask();
      await warning.getByRole("button", { name: "Leave it in sync" }).click();
      await did(page, /borrow/i);
      await ask();
      await warning.getByRole("button", { name: "Do it and untie" }).click();
      await expect(chosen(page).getByText(/\+\d+ f.* out of sync/)).toBeVisible();
      await expect(page.getByRole("button", { name: "1 clip out of sync" })).toBeVisible();
      await page.keyboard.press("b");
      await expect(chosen(page).getByText("tied to 4 other clips")).toBeVisible();
      await expect(page.getByRole("button", { name: "1 clip out of sync" })).toHaveCount(0);
      // By keyboard it is untied first, and then goes where it likes with its offset on its face.
      await page.keyboard.press("Shift+B");
      await page.keyboard.press("Alt+ArrowRight");
      await expect(chosen(page).getByText("+1 fr out of sync")).toBeVisible();
      await page.keyboard.press("b");
      await expect(chosen(page).getByText("tied to 4 other clips")).toBeVisible();
    });

    await test.step("undo reaches back across a server that was killed", async () => {
      // What plays gets silence and a mark, and goes on from there once the server answers again.
      const position = page.getByRole("button", { name: /^Position/ });
      await goTo(page, "10:00:33:00");
      await page.keyboard.press("Space");
      await expect(position).not.toHaveText("10:00:33:00");
      await killed(server);
      await expect(page.getByText("The connection was lost; picking up…")).toBeVisible();
      const lostAt = (await position.textContent())!;
      ({ server, url } = await start(new URL(url).host, "editing"));
      await expect(page.getByText("The connection was lost; picking up…")).toBeHidden();
      await expect.poll(async () => (await position.textContent())! > lostAt).toBe(true);
      expect((await position.textContent())! < "10:00:50:00").toBe(true);
      await page.keyboard.press("Space");
      await page.reload();
      const undo = page.getByRole("button", { name: /^Undo/ });
      const names: string[] = [];
      for (let i = 0; i < 8; i++) {
        const name = (await undo.getAttribute("aria-label")) ?? (await undo.textContent())!;
        names.push(name);
        await page.keyboard.press("Control+z");
        await expect(undo).not.toHaveAccessibleName(name);
      }
      expect(names.map((n) => /borrow|dip|hush/i.exec(n)?.[0].toLowerCase()).filter(Boolean)).toEqual(["borrow", "dip", "hush"]);
      await did(page, /cut/i);
      for (let i = 0; i < names.length; i++) {
        const before = await undo.getAttribute("aria-label");
        await page.keyboard.press("Control+Shift+z");
        await expect(undo).not.toHaveAttribute("aria-label", before ?? "");
      }
    });

    await test.step("the printed samples are the recording's but where it was edited", async () => {
      await chooseSpec(page, "Six-channel split");
      for (const name of ["Boom", "Tobiah lav", "Radio", "Wheelhouse plant"])
        await page.getByRole("button", { name: `Mute ${name}`, exact: true }).click();
      await track(page, "Ines lav").click();
      await page.getByLabel(/dual mono/).check();
      await meets(page, "Ines lav", "Dialogue L", /reached at 0 dB/);
      await page.getByRole("navigation", { name: "Rooms" }).getByRole("link", { name: "Print" }).click();
      await page.getByLabel("One file a group").check();
      await page.getByRole("button", { name: "Print 3 files" }).click();
      await expect(page.getByRole("heading", { name: "Delivered and proven" })).toBeVisible({ timeout: 60_000 });
      const [d] = await Promise.all([page.waitForEvent("download"), page.getByRole("link", { name: /_DX_stereo\.wav/ }).click()]);
      const printed = readWave(await d.path());
      const source = readWave(`${scenario}/card/LF03/LF03_12A_T03.wav`);
      const other = readWave(`${scenario}/card/LF03/LF03_12A_T01.wav`);
      const lav = 3;
      const otherLav = [...other.ixml.matchAll(/<NAME>([^<]*)<\/NAME>/g)].findIndex((m) => m[1] === "Ines lav");
      expect(otherLav).toBeGreaterThanOrEqual(0);
      // The reel begins at 10:00:00:00, the take at 10:00:32:00. Edges are left to their ramps, of at most 60 ms.
      const at = 32 * second;
      const edge = 0.06 * second;
      // A dip makes values between the steps of 24 bits, so the output is dithered: by up to 1 step, and rounding.
      const dither = 2;
      const edits = { hush: 4, dip: 6, borrow: 8 }; // in seconds of the take, each a second long
      const inside = (i: number, s: number, margin: number) => i >= s * second - margin && i < (s + 1) * second + margin;
      for (let i = 0; i < source.frames; i++) {
        const have = printed.sample(at + i, 0);
        const was = source.sample(i, lav);
        if (inside(i, edits.hush, -edge)) {
          if (Math.abs(have) > dither) throw new Error(`frame ${i} should be hushed`);
        } else if (inside(i, edits.dip, -edge)) {
          if (Math.abs(have - was * 10 ** (-6 / 20)) > dither) throw new Error(`frame ${i} should be dipped by 6 dB`);
        } else if (!Object.values(edits).some((s) => inside(i, s, edge)) && Math.abs(have - was) > dither)
          throw new Error(`frame ${i} is not the recording's`);
      }
      // What was borrowed is somewhere in the other take, sample for sample.
      const length = second - 2 * edge;
      const from = at + edits.borrow * second + edge;
      const same = (offset: number) => {
        for (let i = 0; i < length; i++)
          if (Math.abs(printed.sample(from + i, 0) - other.sample(offset + i, otherLav)) > dither) return false;
        return true;
      };
      let found = -1;
      for (let offset = 0; offset + length <= other.frames && found < 0; offset++) if (same(offset)) found = offset;
      expect(found).toBeGreaterThanOrEqual(0);
    });
  } finally {
    await killed(server);
  }
});

test("a cut list lays takes out, a changed one moves the work, and the reel is handed over and read again", async ({ page }) => {
  await newProduction(page, "The Lantern Ferry, cut lists");
  await bringIn(page, "Recorder card LF03", ["LF03"], ["LF03_12A_T03.wav", "LF03_12B_T01.wav"]);
  await expect(page.getByRole("listbox", { name: "Takes" }).getByRole("option")).toHaveCount(2);
  await page.getByRole("navigation", { name: "Rooms" }).getByRole("link", { name: "Loom" }).click();
  await page.getByRole("button", { name: /Make/ }).click();
  const dialog = page.getByRole("dialog", { name: /^Cut list of/ });
  const read = async (name: string) => {
    await page.getByRole("button", { name: /; others$/ }).click();
    await page.getByRole("menuitem", { name: "Cut list of this reel…" }).click();
    await dialog.getByLabel("Cut list file").setInputFiles(`${scenario}/cut lists/${name}`);
  };
  await read("Picture cut v3.edl");
  await expect(dialog.getByText("2 of 4 events found among the takes.")).toBeVisible();
  await expect(dialog.getByText("No take of roll B02 is here, nor one of that name")).toBeVisible();
  await dialog.getByRole("button", { name: "Lay out 2 takes" }).click();
  await expect(dialog).toBeHidden();
  await track(page, "Radio").click();
  const start = page.getByLabel("Timecode at which the clip starts");
  await goTo(page, "10:01:00:00");
  await page.keyboard.press("Shift+W");
  await expect(start).toHaveValue("10:00:54:21");
  await read("Picture cut v4.edl");
  await expect(dialog.getByRole("region", { name: "What changes" })).toContainText("moved 50 frames earlier");
  await dialog.getByRole("button", { name: "Conform the work to this cut" }).click();
  await expect(start).toHaveValue("10:00:52:21");
  await expect(chosen(page).getByText("in sync with the picture")).toBeVisible();
  await page.keyboard.press("Control+z");
  await expect(start).toHaveValue("10:00:54:21");

  await test.step("the reel is handed over, and read again as the same", async () => {
    const menu = async (item: string) => {
      await page.getByRole("button", { name: /; others$/ }).click();
      await page.getByRole("menuitem", { name: item }).click();
    };
    await menu("Hand this reel over…");
    const hand = page.getByRole("dialog", { name: /^Hand over/ });
    await hand.getByLabel(/What is used of them/).check();
    await hand.getByRole("button", { name: "Write it" }).click();
    const link = hand.getByRole("link", { name: "Save it all as a ZIP" });
    const [zip] = await Promise.all([page.waitForEvent("download"), link.click()]);
    expect(zip.suggestedFilename()).toMatch(/handed over\.zip$/);
    expect(statSync(await zip.path()).size).toBeGreaterThan(5_000_000);
    const of = (await link.getAttribute("href"))!.replace("/archive", "/files/");
    const otio = await (await page.request.get(`${of}Reel_1.otio`)).text();
    await hand.getByRole("button", { name: "Close" }).click();

    const reel = async () => {
      const view = await (await page.request.get(`/api/v1/reels/${page.url().split("/").at(-1)!}`)).json();
      const { id, name, revision, undo, redo, head, ...rest } = view;
      return { ...rest, head: { ...head, name: "" }, was: { id, name, revision, undo, redo } };
    };
    const was = await reel();
    await menu("A new reel…");
    await page
      .getByLabel("Reel that was handed over")
      .setInputFiles({ name: "Reel_1.otio", mimeType: "application/json", buffer: Buffer.from(otio) });
    await expect(page.getByText("Read: it is as it was handed over.")).toBeVisible();
    await expect(page.getByRole("button", { name: /^Reel Reel 1 \(2\); others$/ })).toBeVisible();
    const is = await reel();
    expect(is.was.id).not.toBe(was.was.id);
    expect({ ...is, was: 0 }).toEqual({ ...was, was: 0 });
  });
});

test("clips are worked on by mouse", async ({ page }) => {
  await newProduction(page, "The Lantern Ferry, by mouse");
  await bringIn(page, "Recorder card LF03", ["LF03"], ["LF03_12A_T03.wav"]);
  await unravel(page, /12A.*take 3/);
  await track(page, "Radio").click();
  /** Where a timecode lies on the screen: the shuttle's line is put there. */
  const xAt = async (timecode: string) => {
    await goTo(page, timecode);
    const box = (await page.locator(".time-area span[aria-hidden]").first().boundingBox())!;
    return box.x + 1;
  };
  const row = (await track(page, "Radio").boundingBox())!;
  const middle = row.y + row.height / 2 + 2;
  const drag = async (x: number, y: number, by: number, key?: string) => {
    if (key) await page.keyboard.down(key);
    await page.mouse.move(x, y);
    await page.mouse.down();
    await page.mouse.move(x + by, y, { steps: 3 });
    await page.mouse.up();
    if (key) await page.keyboard.up(key);
  };
  const end = await xAt("10:00:52:00");
  const inside = await xAt("10:00:40:00");
  const start = page.getByLabel("Timecode at which the clip starts");

  await test.step("an edge trims all that are tied", async () => {
    await drag(end - 2, middle, -60);
    await did(page, /trim/i);
    await drag(inside, middle, 0);
    await expect(page.getByText(/lasts/)).not.toContainText("0:20.0");
  });
  await test.step("a corner fades", async () => {
    await drag(end - 60 - 6, row.y + 9, -40);
    await did(page, /fade out/i);
    await expect(page.getByLabel("Fade out in milliseconds")).not.toHaveValue("0");
  });
  await test.step("the middle moves, with all that are tied", async () => {
    await drag(inside, middle, 50);
    await did(page, /move/i);
    await expect(start).not.toHaveValue("10:00:32:00");
    const moved = await start.inputValue();
    await track(page, "Boom").click();
    await expect(start).toHaveValue(moved);
    await page.keyboard.press("Control+z");
    await expect(start).toHaveValue("10:00:32:00");
  });
  await test.step("with Alt the sound slips inside, once there are handles", async () => {
    await drag(inside, middle, -20, "Alt");
    await did(page, /slip/i);
    await expect(start).toHaveValue("10:00:32:00");
  });
  await test.step("with Ctrl it is copied", async () => {
    await drag(inside, middle, 90, "Control");
    await did(page, /paste/i);
    await page.keyboard.press("Control+z");
    await did(page, /slip/i);
  });
  await test.step("along the foot a range is chosen, which can be taken out with its gap", async () => {
    await drag(inside, row.y + row.height - 4, 40);
    await page.keyboard.press("Shift+Delete");
    const warning = page.getByRole("dialog", { name: "This breaks sync" });
    await warning.getByRole("button", { name: "Leave it in sync" }).click();
    await page.keyboard.press("Alt+Delete");
    await did(page, "Undo: cut a range out of all tracks");
  });
});
