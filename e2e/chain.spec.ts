// A chain on a track and on a stem, through the interface: seen, set, undone, driven by another row, and measured in the files that come out.
import { execFileSync } from "node:child_process";
import { expect, test, type Page } from "./test";

import { bringIn, chooseSpec, newProduction, scenario, track, unravel } from "./rooms";

const chainOf = (page: Page, name: string) => page.getByRole("region", { name: `Chain of ${name}`, exact: true });

async function add(page: Page, row: string, title: string) {
  await chainOf(page, row).getByRole("button", { name: "Add" }).click();
  await page.getByRole("menuitem", { name: new RegExp(`^${title}`) }).click();
  await expect(chainOf(page, row).getByRole("heading", { name: title, exact: true })).toBeVisible();
}

/** Types a figure of the processor that is open. */
async function type(page: Page, row: string, label: string, value: string) {
  const field = chainOf(page, row).getByLabel(label, { exact: true });
  await field.fill(value);
  await field.press("Enter");
  await expect(field).toHaveValue(value);
}

/** What another program measures of a file through a filter, in a stretch of seconds: its mean level in dBFS. */
function level(file: string, filter: string, from: number, seconds: number): number {
  const args = ["-hide_banner", "-ss", String(from), "-t", String(seconds), "-i", file, "-af", `${filter},volumedetect`, "-f", "null", "-"];
  const said = execFileSync("sh", ["-c", '"$@" 2>&1', "sh", "ffmpeg", ...args], { encoding: "utf8" });
  return Number(/mean_volume: (-?[\d.]+) dB/.exec(said)![1]);
}

/** Prints one file a group, and gives the file whose name holds a tag. */
async function printed(page: Page, tag: RegExp, to: string) {
  await page.getByRole("navigation", { name: "Rooms" }).getByRole("link", { name: "Print" }).click();
  await page.getByLabel("One file a group").check();
  await page.getByRole("button", { name: "Print 3 files" }).click();
  await expect(page.getByRole("heading", { name: /Delivered and proven/ })).toBeVisible({ timeout: 60_000 });
  const [file] = await Promise.all([page.waitForEvent("download"), page.getByRole("link", { name: tag }).first().click()]);
  await file.saveAs(to);
  await page.getByRole("navigation", { name: "Rooms" }).getByRole("link", { name: "Loom" }).click();
}

test("a chain is set, undone, driven and printed", async ({ page }, info) => {
  await newProduction(page, "The Lantern Ferry, chains");
  await bringIn(page, "Recorder card LF03", ["LF03"], ["LF03_12A_T03.wav"]);
  await unravel(page, /12A.*take 3/);
  await chooseSpec(page, "Six-channel split");
  for (const name of ["Boom", "Tobiah lav", "Radio", "Wheelhouse plant"])
    await page.getByRole("button", { name: `Mute ${name}`, exact: true }).click();
  const reel = page.url().split("/").at(-1)!.split("?")[0]!;

  await test.step("processors are added by key and menu, and set by figures and handles", async () => {
    await track(page, "Ines lav").click();
    await page.keyboard.press("Alt+q");
    await expect(chainOf(page, "Ines lav")).toContainText("Nothing is done to the sound of Ines lav yet");
    await add(page, "Ines lav", "High-pass");
    await type(page, "Ines lav", "frequency of the high-pass", "1000");
    await type(page, "Ines lav", "slope of the high-pass", "48");
    await add(page, "Ines lav", "Bell");
    const handle = chainOf(page, "Ines lav").getByRole("button", { name: /^Bell: 1 kHz, 0 dB/ });
    await handle.focus();
    for (let i = 0; i < 4; i++) await page.keyboard.press("ArrowUp");
    await expect(chainOf(page, "Ines lav").getByRole("button", { name: /^Bell: 1 kHz, 2 dB/ })).toBeVisible();
    const box = (await chainOf(page, "Ines lav")
      .getByRole("button", { name: /^Bell: 1 kHz/ })
      .boundingBox())!;
    await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2);
    await page.mouse.down();
    await page.mouse.move(box.x + box.width / 2 + 60, box.y + box.height / 2 + 40, { steps: 5 });
    await page.mouse.up();
    await expect(chainOf(page, "Ines lav").getByRole("button", { name: /^Bell: [2-9][.\d]* kHz, −/ })).toBeVisible();
  });

  await test.step("order by key, off and on, and all of it undone and done again", async () => {
    const titles = () =>
      chainOf(page, "Ines lav")
        .getByRole("list")
        .getByRole("button")
        .filter({ has: page.locator(".font-semibold") });
    await titles().nth(1).focus();
    await page.keyboard.press("Alt+ArrowUp");
    await expect(titles().first()).toContainText("Bell");
    await page.keyboard.press("Delete");
    await expect(titles()).toHaveCount(1);
    await page.keyboard.press("Control+z"); // at once: it means the edit that is on its way
    await expect(titles()).toHaveCount(2);
    await page.keyboard.press("Control+Shift+z");
    await expect(titles()).toHaveCount(1);
    await expect(titles().first()).toContainText("1 kHz, 48 dB an octave");
  });

  await test.step("a reload finds it", async () => {
    await page.reload();
    await expect(page.getByRole("button", { name: /^Chain of Ines lav: 1 processor/ })).toBeVisible();
  });

  await test.step("what is printed has it, as another program measures", async () => {
    const file = info.outputPath("dx.wav");
    await printed(page, /_DX_stereo\.wav/, file);
    const source = `${scenario}/card/LF03/LF03_12A_T03.wav`;
    const low = "lowpass=f=250:p=2,lowpass=f=250:p=2";
    const was = level(source, `pan=mono|c0=c3,${low}`, 0, 20);
    const now = level(file, `pan=mono|c0=c0,${low}`, 32, 20) + 3; // the pan law
    expect(now).toBeLessThan(was - 45);
    const high = "highpass=f=2500:p=2";
    const wasHigh = level(source, `pan=mono|c0=c3,${high}`, 0, 20);
    expect(Math.abs(level(file, `pan=mono|c0=c0,${high}`, 32, 20) + 3 - wasHigh)).toBeLessThan(0.3);
  });

  await test.step("a clip goes through one of its own, heard in the print", async () => {
    await track(page, "Boom").click();
    await page.getByRole("button", { name: "Mute Boom", exact: true }).click();
    await page.getByRole("button", { name: "Mute Ines lav", exact: true }).click();
    await page.keyboard.press("Shift+w");
    const clip = page.getByRole("region", { name: "What is chosen" });
    await clip
      .getByRole("button", { name: /^Chain/ })
      .last()
      .click();
    const panel = page.getByRole("region", { name: /^Chain of/ });
    const name = (await panel.getAttribute("aria-label"))!.replace("Chain of ", "");
    await add(page, name, "Low-pass");
    await type(page, name, "frequency of the low-pass", "300");
    await type(page, name, "slope of the low-pass", "48");
    const file = info.outputPath("boom.wav");
    await printed(page, /_DX_stereo\.wav/, file);
    const source = `${scenario}/card/LF03/LF03_12A_T03.wav`;
    const high = "highpass=f=1500:p=2,highpass=f=1500:p=2";
    expect(level(file, `pan=mono|c0=c0,${high}`, 32, 20)).toBeLessThan(level(source, `pan=mono|c0=c2,${high}`, 0, 20) - 40);
    await page.getByRole("button", { name: "Mute Boom", exact: true }).click();
    await page.getByRole("button", { name: "Mute Ines lav", exact: true }).click();
  });

  await test.step("a stem is driven by a track, and a circle is refused", async () => {
    await page.keyboard.press("i");
    await page.getByRole("tab", { name: "Row", exact: true }).click();
    await page.getByLabel("Which row").selectOption({ label: "Stem: Dialogue" });
    await page.getByRole("complementary", { name: "Lists" }).getByRole("button", { name: /Chain/ }).click();
    await add(page, "Dialogue", "Compressor");
    await chainOf(page, "Dialogue").getByLabel("What drives it").selectOption({ label: "Track: Boom" });
    await expect(chainOf(page, "Dialogue").getByLabel("What drives it")).toHaveValue(/^track /);
    const view = await (await page.request.get(`/api/v1/reels/${reel}`)).json();
    const stem = view.chains.find((c: { row: string }) => c.row === "stem");
    expect(stem.steps[0].key.row).toBe("track");
    const boom = view.tracks.find((t: { name: string }) => t.name === "Boom");
    const refused = await page.request.post(`/api/v1/reels/${reel}/commands`, {
      data: {
        revision: view.revision,
        kind: "setChain",
        command: { row: "track", from: boom.id, steps: [{ id: "1", kind: "gate", key: { row: "stem", from: "DX" } }] },
      },
    });
    expect(refused.status()).toBe(400);
    expect((await refused.json()).title).toContain("can't be driven by it");
  });

  await test.step("what is driven ducks in the print while the other sounds, and not where it is silent", async () => {
    const high = "highpass=f=2500:p=2";
    const heard = async (name: string) => {
      await printed(page, /_DX_stereo\.wav/, info.outputPath(name));
      return level(info.outputPath(name), `pan=mono|c0=c0,${high}`, 32, 20);
    };
    await type(page, "Dialogue", "threshold of the compressor", "-60");
    await type(page, "Dialogue", "ratio of the compressor", "20");
    const silent = await heard("free.wav"); // the boom is muted
    await track(page, "Boom")
      .getByRole("button", { name: /^Stem of Boom/ })
      .click();
    await page.getByRole("menuitem", { name: "Effects" }).click();
    await page.getByRole("button", { name: "Mute Boom", exact: true }).click();
    const ducked = await heard("ducked.wav");
    expect(ducked).toBeLessThan(silent - 10);
    await page.getByRole("button", { name: "Mute Boom", exact: true }).click();
    expect(Math.abs((await heard("again.wav")) - silent)).toBeLessThan(0.1);
    await page.keyboard.press("i");
    await page.getByRole("tab", { name: "Row", exact: true }).click();
    await page.getByLabel("Which row").selectOption({ label: "Stem: Dialogue" });
    await page.getByRole("complementary", { name: "Lists" }).getByRole("button", { name: /Chain/ }).click();
  });

  await test.step("a chain is kept as a file and taken from one", async () => {
    const [file] = await Promise.all([
      page.waitForEvent("download"),
      chainOf(page, "Dialogue").getByRole("button", { name: "Keep the chain as a file" }).click(),
    ]);
    expect(file.suggestedFilename()).toBe("Dialogue.chain.yaml");
    const kept = info.outputPath("kept.yaml");
    await file.saveAs(kept);
    await chainOf(page, "Dialogue")
      .locator("input[type=file]")
      .setInputFiles({ name: "x.yaml", mimeType: "application/yaml", buffer: Buffer.from("chain: [{kind: low-pass, frequency: 5000}]") });
    await expect(chainOf(page, "Dialogue").getByRole("button", { name: /^Low-pass: 5 kHz/ })).toBeVisible();
    await chainOf(page, "Dialogue").locator("input[type=file]").setInputFiles(kept);
    await expect(chainOf(page, "Dialogue").getByRole("heading", { name: "Compressor" })).toBeVisible();
    await chainOf(page, "Dialogue")
      .locator("input[type=file]")
      .setInputFiles({ name: "x.yaml", mimeType: "application/yaml", buffer: Buffer.from("chain: [{kind: flanger}]") });
    await expect(page.getByText(/The chain is not as it should be/)).toBeVisible();
  });
});

test("a chain is kept under a name, put on another row, and heard as what goes", async ({ page }) => {
  const sent: string[] = [];
  page.on("websocket", (ws) => ws.on("framesent", (f) => sent.push(String(f.payload))));
  await newProduction(page, "The Lantern Ferry, kept chains");
  await bringIn(page, "Recorder card LF03", ["LF03"], ["LF03_12A_T03.wav"]);
  await unravel(page, /12A.*take 3/);
  await chooseSpec(page, "Six-channel split");
  await track(page, "Boom").click();
  await page.keyboard.press("Alt+q");
  await add(page, "Boom", "Compressor");
  await type(page, "Boom", "threshold of the compressor", "-50");
  await chainOf(page, "Boom").getByRole("button", { name: "Chains that the production keeps" }).click();
  await page.getByLabel("Name to keep the chain under").fill("Wet boom");
  await page.keyboard.press("Enter");
  await expect(page.getByRole("button", { name: "Wet boom 1 processor" })).toBeVisible();
  await page.keyboard.press("Escape");
  await chainOf(page, "Boom").getByRole("radio", { name: "what goes" }).click();
  await page.getByRole("button", { name: "Play", exact: true }).click();
  await expect.poll(() => sent.some((m) => m.includes('"aside"') && m.includes('"removed":true')), { timeout: 20_000 }).toBe(true);
  await chainOf(page, "Boom").getByRole("radio", { name: "without" }).click();
  await expect.poll(() => sent.at(-1)!.includes('"removed":false') || sent.some((m) => m.includes('"removed":false'))).toBe(true);
  await page.getByRole("button", { name: "Stop", exact: true }).click();
  // On a row that has none, after the page was loaded anew.
  await page.reload();
  await track(page, "Radio").click();
  await page.keyboard.press("Alt+q");
  await page.getByRole("region", { name: "Chain of Radio" }).getByRole("button", { name: "Chains that the production keeps" }).click();
  await page.getByRole("button", { name: "Wet boom 1 processor" }).click();
  await expect(chainOf(page, "Radio").getByLabel("threshold of the compressor")).toHaveValue("-50");
});
