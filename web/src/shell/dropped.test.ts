import { describe, expect, it } from "vitest";

import { droppedWords, fromFolder, readDropped, type Entry } from "./dropped";

const file = (name: string): Entry => ({ isFile: true, name, file: (ok) => ok(new File(["x"], name)) });
/** A folder that a browser gives in parts of two. */
const folder = (name: string, children: Entry[]): Entry => ({
  isFile: false,
  name,
  createReader: () => {
    let at = 0;
    return {
      readEntries: (ok) => {
        at += 2;
        ok(children.slice(at - 2, at));
      },
    };
  },
});

describe("what is dropped", () => {
  it("takes a card with all that lies in it, but for what is no sound", async () => {
    const card = folder("LF03", [
      file("LF03_2.WAV"),
      file("LF03_10.wav"),
      file("._LF03_2.WAV"),
      folder("reports", [file("report.csv"), file("scratch.flac")]),
      folder("empty", []),
    ]);
    const d = await readDropped([card, file("whatever.xyz")]);
    expect(d.files.map((f) => f.name)).toEqual(["LF03_2.WAV", "LF03_10.wav", "scratch.flac", "whatever.xyz"]);
    expect(d.left).toBe(2);
    expect(droppedWords(d)).toBe("2 files that are neither sound nor movie stay where they are.");
  });
  it("goes on past what can't be read, and says so", async () => {
    const broken: Entry = { isFile: true, name: "bad.wav", file: (_, failed) => failed(new Error("gone")) };
    const d = await readDropped([folder("x", [broken, file("good.wav")])]);
    expect(d.files.map((f) => f.name)).toEqual(["good.wav"]);
    expect(droppedWords(d)).toBe("1 file could not be read.");
  });
  it("says where there is nothing to take", () => {
    expect(droppedWords(fromFolder([new File(["x"], "report.pdf")]))).toBe("Nothing of it is a sound or a movie that can be taken in.");
    expect(droppedWords(fromFolder([new File(["x"], "a.wav")]))).toBe("");
  });
});
