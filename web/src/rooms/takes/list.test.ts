import { describe, expect, it } from "vitest";

import type { Take } from "../../api/client";
import { between, listed, takeTitle } from "./list";

function take(part: Partial<Take> & { d?: Partial<Take["description"]> }): Take {
  return {
    id: part.fileName ?? "x",
    kind: "recording",
    fileName: "x.wav",
    channels: [],
    stream: 0,
    ...part,
    description: { scene: "", take: "", roll: "", note: "", circled: false, ...part.d },
  } as unknown as Take;
}

const all = [
  take({ fileName: "a.wav", d: { scene: "12A", take: "1", roll: "LF03", note: "aircraft" } }),
  take({
    fileName: "b.wav",
    d: { scene: "12A", take: "3", roll: "LF03", circled: true, wild: true },
    channels: [{ name: "Ines lav" }] as Take["channels"],
  }),
  take({ fileName: "Accordion cue.wav", kind: "music" }),
  take({ fileName: "Bell.wav", kind: "effect" }),
];

const names = (items: ReturnType<typeof listed>) => items.map((i) => ("take" in i ? i.take.fileName : `# ${i.heading}, ${i.about}`));

describe("the list of takes", () => {
  it("groups by roll, then by kind", () => {
    expect(names(listed(all, "", false))).toEqual([
      "# Roll LF03, 2 takes",
      "a.wav",
      "b.wav",
      "# Music, 1 take",
      "Accordion cue.wav",
      "# Effects, 1 take",
      "Bell.wav",
    ]);
  });

  it("finds every word, wherever it stands", () => {
    expect(names(listed(all, "12a AIRCRAFT", false))).toEqual(["# Roll LF03, 1 take", "a.wav"]);
    expect(names(listed(all, "ines", false))).toContain("b.wav");
    expect(listed(all, "nobody", false)).toEqual([]);
  });

  it("shows circled takes alone", () => {
    expect(names(listed(all, "", true))).toEqual(["# Roll LF03, 1 take", "b.wav"]);
  });

  it("goes by scene with numbers as numbers, and by name", () => {
    const more = [...all, take({ fileName: "c.wav", d: { scene: "9", take: "1", roll: "LF03" } })];
    expect(names(listed(more, "", false, "scene")).slice(0, 4)).toEqual(["# Scene 9, 1 take", "c.wav", "# Scene 12A, 2 takes", "a.wav"]);
    expect(names(listed(more, "", false, "name"))[1]).toBe("c.wav");
  });

  it("chooses from one take to another, whichever comes first", () => {
    const items = listed(all, "", false);
    expect(between(items, "Bell.wav", "b.wav")).toEqual(["b.wav", "Accordion cue.wav", "Bell.wav"]);
    expect(between(items, "gone", "b.wav")).toEqual(["b.wav"]);
  });

  it("calls a take by scene and take, else by its file", () => {
    expect(takeTitle(all[1]!)).toBe("12A, take 3");
    expect(takeTitle(all[2]!)).toBe("Accordion cue");
  });
});
