// What comes is on the server's list, by name and size, before its first byte; after whatever happens it is known what is missing, and that goes on.
import { newProduction, takeRow } from "./rooms";
import { expect, test, type Page } from "./test";

/** A WAVE file of silence, mono, 48 kHz, 16 bit. */
function wave(seconds: number): Buffer {
  const data = Math.round(48000 * seconds) * 2;
  const b = Buffer.alloc(44 + data);
  b.write("RIFF", 0);
  b.writeUInt32LE(36 + data, 4);
  b.write("WAVEfmt ", 8);
  b.writeUInt32LE(16, 16);
  b.writeUInt16LE(1, 20);
  b.writeUInt16LE(1, 22);
  b.writeUInt32LE(48000, 24);
  b.writeUInt32LE(96000, 28);
  b.writeUInt16LE(2, 32);
  b.writeUInt16LE(16, 34);
  b.write("data", 36);
  b.writeUInt32LE(data, 40);
  b.writeInt16LE(12000, 44 + (Math.round(seconds * 1000) % 900) * 2); // no two are the same
  return b;
}

const files = Array.from({ length: 12 }, (_, i) => ({ name: `Bell ${i + 1}.wav`, mimeType: "audio/wav", buffer: wave(0.1 + i / 100) }));

type Listed = { title: string; state: string; size: number };
const listed = async (page: Page, production: string): Promise<Listed[]> =>
  (await page.context().request.get(`/api/v1/productions/${production}/work`)).json() as Promise<Listed[]>;

test("twelve files are known before their first byte; after a reload it is said what is missing, and chosen again they all arrive", async ({
  page,
}) => {
  await newProduction(page, "The Lantern Ferry, coming in");
  const production = page.url().split("/")[4]!;
  await page.route("**/api/v1/uploads/*", (route) => (route.request().method() === "PATCH" ? route.abort() : route.continue())); // no byte comes through
  await page
    .getByRole("button", { name: /^Bring in/ })
    .first()
    .click();
  const dialog = page.getByRole("dialog", { name: "Bring in takes" });
  await dialog.locator("input[type=file]").first().setInputFiles(files);
  await expect.poll(async () => (await listed(page, production)).length).toBe(12);
  const work = await listed(page, production);
  expect(work.map((w) => w.state)).toEqual(Array(12).fill("arriving"));
  expect(new Set(work.map((w) => `${w.title} ${w.size}`))).toEqual(new Set(files.map((f) => `${f.name} ${f.buffer.length}`)));
  await page.keyboard.press("Escape");

  page.on("dialog", (d) => void d.accept()); // that files are on their way is asked about
  await page.goto(`/p/${production}/takes`);
  await expect(page.getByText("12 files have not arrived")).toBeVisible();
  await page.unroute("**/api/v1/uploads/*");
  await expect(page.getByText(/Bell \d+\.wav \(\d+ kB\)/)).toBeVisible();
  await page.getByText("Choose them again…").locator("input").setInputFiles(files);
  await expect(takeRow(page, /Bell 12/)).toBeVisible({ timeout: 60_000 });
  await expect(page.getByRole("listbox", { name: "Takes" }).getByRole("option")).toHaveCount(12);
  await expect(page.getByText(/not arrived/)).toHaveCount(0);
  expect((await listed(page, production)).filter((w) => w.state === "arriving")).toEqual([]);
});

test("what will not come any more is put away", async ({ page }) => {
  await newProduction(page, "The Lantern Ferry, not coming");
  const production = page.url().split("/")[4]!;
  const request = page.context().request;
  for (const name of ["Chain.wav", "Water.wav"]) {
    const metadata = `filename ${Buffer.from(name).toString("base64")},production ${Buffer.from(production).toString("base64")}`;
    const headers = { "Tus-Resumable": "1.0.0", "Upload-Length": "100000", "Upload-Metadata": metadata };
    expect((await request.post("/api/v1/uploads/", { headers })).status()).toBe(201);
  }
  await page.reload();
  await expect(page.getByText("2 files have not arrived")).toBeVisible();
  await page.getByRole("button", { name: "Put them away" }).click();
  await expect(page.getByText(/not arrived/)).toHaveCount(0);
  expect(await listed(page, production)).toEqual([]);
});
