// Jobs that come every day, from files to files, and how often a hand has to do something in them: each press, choice or typed field
// counts one. The files are made here, and what comes out is compared with them byte for byte.
import { execFileSync } from "node:child_process";
import { mkdtempSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { type Download, expect, type Locator, type Page, test } from "./test";

import { takeRow } from "./rooms";
import { readWave, waveFile, type WaveFile } from "./wave";

const rate = 48_000;
const seconds = 2;

/** Numbers from −1 to 1 that look random, the same each time (mulberry32). */
function numbers(seed: number) {
  let at = seed | 0;
  return () => {
    at = (at + 0x6d2b79f5) | 0;
    let t = Math.imul(at ^ (at >>> 15), 1 | at);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) | 0) / 2 ** 31;
  };
}

/** Interleaved 24-bit noise, another in each channel, never above an eighth of full scale: sums of eight stay exact. */
function noise(seed: number, channels: number, length = seconds): Buffer {
  const next = Array.from({ length: channels }, (_, c) => numbers(seed * 100 + c + 1));
  const data = Buffer.alloc(rate * length * channels * 3);
  for (let i = 0; i < rate * length; i++)
    next.forEach((n, c) => {
      data.writeIntLE(Math.round(n() * 0x0fffff), (i * channels + c) * 3, 3);
    });
  return data;
}

/** Words that are spoken, as far as sync hears: bursts of noise of another length and level each; 0 to 1, one microphone. */
function spoken(seed: number, length: number): Float64Array {
  const of = numbers(seed);
  const out = new Float64Array(rate * length);
  for (let i = 0; i < out.length; ) {
    const [lasts, pause, level] = [2000 + Math.abs(of()) * 9000, 500 + Math.abs(of()) * 7000, 0.1 + Math.abs(of()) * 0.4];
    for (let k = 0; k < lasts && i + k < out.length; k++) out[i + k] = of() * level * Math.sin((Math.PI * k) / lasts);
    i += Math.round(lasts + pause);
  }
  return out;
}

/** What a microphone makes of that, at a gain, with a little noise of its own. */
function miked(words: Float64Array, gain: number, seed: number): Buffer {
  const hiss = numbers(seed);
  const data = Buffer.alloc(words.length * 3);
  words.forEach((x, i) => data.writeIntLE(Math.round((x * gain + hiss() * 0.002) * 0x3fffff), i * 3, 3));
  return data;
}

/** A hand whose doings are counted. */
class Hand {
  done = 0;
  constructor(readonly page: Page) {}
  async press(what: Locator) {
    this.done++;
    await what.click();
  }
  async type(where: Locator, text: string) {
    this.done++;
    await where.fill(text);
  }
  async key(key: string) {
    this.done++;
    await this.page.keyboard.press(key);
  }
  async give(where: Locator, files: string[]) {
    this.done++;
    await where.setInputFiles(files);
  }
  async save(link: Locator): Promise<Download> {
    const [download] = await Promise.all([this.page.waitForEvent("download"), this.press(link)]);
    return download;
  }

  button = (name: string | RegExp) => this.page.getByRole("button", { name });
  room = (name: string) => this.page.getByRole("navigation", { name: "Rooms" }).getByRole("link", { name });

  /** A production with files of this computer. */
  async begin(name: string, files: string[], takes: (string | RegExp)[]) {
    await this.page.goto("/");
    await this.type(this.page.getByLabel("New production"), name);
    await this.press(this.button("Make it"));
    await this.press(this.button(/^Bring in/).first());
    await this.give(this.page.getByLabel(/From this computer/), files);
    for (const take of takes) await expect(takeRow(this.page, take)).toBeVisible({ timeout: 60_000 });
  }

  async layAll() {
    await this.press(this.page.getByRole("listbox", { name: "Takes" }).getByRole("option").first());
    await this.key("Control+a");
    await this.press(this.button(/^Lay \d+ takes onto a new reel/));
    await this.press(this.page.getByRole("dialog").getByRole("button", { name: "Lay them", exact: true }));
    await expect(this.page.getByRole("group", { name: "Tracks" })).toBeVisible();
  }

  /** Prints, and gives the WAVE files by their names' ends. */
  async print(ends: string[]): Promise<WaveFile[]> {
    await this.press(this.room("Print"));
    await this.press(this.button(/^Print (the file|\d+ files)$/));
    await expect(this.page.getByRole("heading", { name: /Delivered and proven|found wanting|refuses it/ })).toBeVisible({
      timeout: 90_000,
    });
    const files: WaveFile[] = [];
    for (const end of ends)
      files.push(readWave(await (await this.save(this.page.getByRole("link", { name: new RegExp(`${end}\\.wav`) }))).path()));
    return files;
  }
}

/** Holds a channel of a file to what went in. */
function same(file: WaveFile, channel: number, wants: { from: Buffer; channels: number; channel: number }[], what: string) {
  expect(file.frames, what).toBe(rate * seconds);
  for (let i = 0; i < file.frames; i++) {
    const want = wants.reduce((sum, w) => sum + w.from.readIntLE((i * w.channels + w.channel) * 3, 3), 0);
    if (file.sample(i, channel) !== want) throw new Error(`${what}: frame ${i} is ${file.sample(i, channel)} and not ${want}`);
  }
}

const folder = () => mkdtempSync(join(tmpdir(), "loom-jobs-"));

function written(dir: string, name: string, data: Buffer, channels: number, more: { hours?: number; names?: string[] } = {}) {
  const path = join(dir, name);
  writeFileSync(path, waveFile(data, rate, channels, more));
  return path;
}

/** A movie whose streams are called so; a language and a title each. */
function movie(dir: string, name: string, streams: { data: Buffer; channels: number; language?: string; title?: string }[]) {
  const inputs = streams.map((s, i) => written(dir, `stream${i}.wav`, s.data, s.channels));
  const path = join(dir, name);
  execFileSync("ffmpeg", [
    ...["-v", "error", "-y", "-f", "lavfi", "-i", `color=c=0x202838:s=160x90:r=25:d=${seconds}`],
    ...inputs.flatMap((i) => ["-i", i]),
    ...["-map", "0"],
    ...inputs.flatMap((_, i) => ["-map", `${i + 1}`]),
    ...["-c:v", "libx264", "-pix_fmt", "yuv420p", "-c:a", "pcm_s24le", "-timecode", "10:00:00:00"],
    ...streams.flatMap((s, i) => [
      ...(s.language ? [`-metadata:s:a:${i}`, `language=${s.language}`] : []),
      ...(s.title ? [`-metadata:s:a:${i}`, `handler_name=${s.title}`] : []),
    ]),
    path,
  ]);
  return path;
}

test("six monos of a promo are printed as they are in at most 20 doings", async ({ page }) => {
  const dir = folder();
  const parts = ["PRINTMASTER_L", "PRINTMASTER_R", "VO", "SFX", "MNE_L", "MNE_R"];
  const data = parts.map((_, i) => noise(i, 1));
  const files = parts.map((p, i) => written(dir, `Ferry promo_${p}.wav`, data[i]!, 1, { hours: 1 }));
  const hand = new Hand(page);
  await hand.begin("The Lantern Ferry, six monos", files, [/PRINTMASTER.*2 files/, /VO/, /SFX/, /MNE.*2 files/]);
  await hand.layAll();
  const [mix, vo, sfx, me] = await hand.print(["Full_mix", "Narration", "Effects", "M\\+E"]);
  [mix, mix, vo, sfx, me, me].forEach((file, i) => {
    same(file!, [0, 1, 0, 0, 0, 1][i]!, [{ from: data[i]!, channels: 1, channel: 0 }], parts[i]!);
  });
  expect(hand.done).toBeLessThanOrEqual(20);
  test.info().annotations.push({ type: "doings", description: String(hand.done) });
});

test("ten tracks become voice, effects and music in at most 18 doings", async ({ page }) => {
  const dir = folder();
  const names = ["DIA", "NARR", "SFX", "AMB", "MUS"].flatMap((n) => [`${n}_L`, `${n}_R`]);
  const data = noise(20, 10);
  const file = written(dir, "Ferry tracks.wav", data, 10, { hours: 10, names });
  const hand = new Hand(page);
  await hand.begin("The Lantern Ferry, ten tracks", [file], ["Ferry tracks"]);
  await hand.press(takeRow(page, "Ferry tracks"));
  await hand.press(hand.button(/^Unravel 5 tracks onto/));
  await hand.press(hand.button("Choose a delivery spec").first());
  await hand.press(
    page
      .getByRole("dialog", { name: "Delivery spec" })
      .locator("li")
      .filter({ has: page.getByText("Six-channel split", { exact: true }) })
      .getByRole("button"),
  );
  await expect(page.getByRole("dialog", { name: "Delivery spec" })).toBeHidden();
  const [split] = await hand.print(["SPLIT"]);
  const channel = (c: number) => ({ from: data, channels: 10, channel: c });
  for (const side of [0, 1]) {
    same(split!, side, [channel(side), channel(2 + side)], "voice is dialogue and narration");
    same(split!, 2 + side, [channel(4 + side), channel(6 + side)], "effects are effects and ambience");
    same(split!, 4 + side, [channel(8 + side)], "music");
  }
  expect(hand.done).toBeLessThanOrEqual(18);
  test.info().annotations.push({ type: "doings", description: String(hand.done) });
});

test("a movie in two languages is taken apart in at most 30 doings", async ({ page }) => {
  const dir = folder();
  const streams = [
    { data: noise(30, 2), channels: 2, language: "eng" },
    { data: noise(31, 2), channels: 2, language: "por" },
    { data: noise(32, 2), channels: 2, title: "M&E" },
  ];
  const path = movie(dir, "Ferry in two languages.mov", streams);
  const hand = new Hand(page);
  await hand.begin("The Lantern Ferry, two languages", [path], ["English", "Portuguese", "M&E"]);
  await hand.layAll();
  const files = await hand.print(["Full_mix_English", "Full_mix_Portuguese", "M\\+E"]);
  files.forEach((file, n) => {
    for (const side of [0, 1]) same(file, side, [{ from: streams[n]!.data, channels: 2, channel: side }], `stream ${n + 1}`);
  });
  expect(hand.done).toBeLessThanOrEqual(30);
  test.info().annotations.push({ type: "doings", description: String(hand.done) });
});

test("a movie with 8 and 2 channels becomes 5.1 and two pairs in at most 22 doings", async ({ page }) => {
  const dir = folder();
  const wide = noise(40, 8);
  const pair = noise(41, 2);
  const path = movie(dir, "Ferry master.mov", [
    { data: wide, channels: 8 },
    { data: pair, channels: 2 },
  ]);
  const hand = new Hand(page);
  await hand.begin("The Lantern Ferry, eight and two", [path], ["stream 2"]);
  await hand.press(takeRow(page, "Ferry master").first());
  await hand.press(hand.button("Channel 1 is L of a 7.1 set"));
  await hand.press(page.getByRole("menuitem", { name: "Read them as 5.1 and a stereo pair" }));
  await hand.layAll();
  await hand.press(hand.button("An output for each track"));
  const files = await hand.print(["Ferry_master_5.1", "Ferry_master_Channel_7-8", "Ferry_master_stream_2"]);
  for (let c = 0; c < 6; c++) same(files[0]!, c, [{ from: wide, channels: 8, channel: c }], `5.1, channel ${c + 1}`);
  for (const side of [0, 1]) {
    same(files[1]!, side, [{ from: wide, channels: 8, channel: 6 + side }], "channels 7 and 8");
    same(files[2]!, side, [{ from: pair, channels: 2, channel: side }], "the pair");
  }
  expect(hand.done).toBeLessThanOrEqual(22);
  test.info().annotations.push({ type: "doings", description: String(hand.done) });
});

// Two cameras run through all of it, and a recorder of four microphones is switched on thirty times, a file for each microphone.
test("a card of 120 files becomes 30 takes, synced to two cameras and laid, in at most 12 doings", async ({ page }) => {
  test.setTimeout(400_000);
  const dir = folder();
  const takes = 30;
  const long = 4;
  const files: string[] = [];
  const heard = new Float64Array(rate * takes * (long + 1));
  for (let t = 0; t < takes; t++) {
    const words = spoken(1000 + t, long);
    heard.set(words, rate * t * (long + 1));
    for (let mic = 1; mic <= 4; mic++) {
      const data = miked(words, 1 / mic, 2000 + 10 * t + mic);
      const name = `S10_T${String(t + 1).padStart(2, "0")}_${mic}.wav`;
      files.push(written(dir, name, data, 1, { hours: 10 + (t * 60) / 3600 })); // the recorder's clock is not the cameras'
    }
  }
  for (const [camera, later, timecode] of [
    ["A", 0, "03:00:00:00"],
    ["B", 1.52, "03:00:01:13"],
  ] as const) {
    const sound = written(dir, `camera ${camera}.wav`, miked(heard.subarray(Math.round(later * rate)), 0.5, later + 7), 1);
    const path = join(dir, `${camera}001.mov`);
    execFileSync("ffmpeg", [
      ...["-v", "error", "-y", "-f", "lavfi", "-i", "color=c=0x202838:s=160x90:r=25", "-i", sound],
      ...["-map", "0", "-map", "1", "-shortest", "-c:v", "libx264", "-preset", "ultrafast", "-pix_fmt", "yuv420p"],
      ...["-c:a", "pcm_s16le", "-timecode", timecode, path],
    ]);
    files.push(path);
  }
  const hand = new Hand(page);
  await hand.begin("The Lantern Ferry, a whole card", files, ["A001", "B001"]);
  const joined = async () => {
    const production = /\/p\/([\w-]+)/.exec(page.url())![1]!;
    const list = (await (await page.request.get(`/api/v1/productions/${production}/takes?limit=60`)).json()) as {
      takes: { channels: unknown[] }[];
    };
    return [list.takes.length, list.takes.filter((t) => t.channels.length === 4).length];
  };
  await expect.poll(joined, { timeout: 120_000 }).toEqual([takes + 2, takes]);
  await expect(page.getByText("30 takes")).toBeVisible();
  await hand.press(hand.room("Sync"));
  await hand.press(page.getByRole("button", { name: "Line up", exact: true }));
  const accept = hand.button("Accept all that are sure (30)");
  await expect(accept).toBeVisible({ timeout: 180_000 });
  await hand.press(accept);
  await expect(accept).toBeHidden({ timeout: 60_000 }); // all are tied
  await hand.press(hand.room("Takes"));
  await hand.layAll();
  const view = (await (await page.request.get(`/api/v1/reels/${page.url().split("/").at(-1)!}`)).json()) as {
    head: { start: number };
    clips: { name: string; start: number; channels: number[] }[];
  };
  for (let t = 0; t < takes; t++) {
    const clips = view.clips.filter((c) => c.name === `10/${t + 1}`);
    expect(clips.map((c) => c.channels.length)).toEqual([1, 1, 1, 1]);
    for (const c of clips)
      expect(Math.abs(c.start - (3 * 3600 + t * (long + 1)) * rate), `take ${t + 1} lies by the camera`).toBeLessThan(3);
  }
  expect(hand.done).toBeLessThanOrEqual(12);
  test.info().annotations.push({ type: "doings", description: String(hand.done) });
});
