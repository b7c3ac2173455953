import { describe, expect, it } from "vitest";

import type { Clip, ReelView, Take } from "../../api/client";
import { layBand, tracksIn } from "./band";
import { matrixOf, typedOf } from "./channels";

const view = {
  stems: [
    { id: "DX", name: "Dialogue", labels: ["L", "R"] },
    { id: "FX", name: "Effects", labels: ["L", "R"] },
  ],
  tracks: [
    { id: "boom", stem: "DX", strand: "Ines" },
    { id: "lav", stem: "DX", strand: "Tobiah" },
    { id: "plant", stem: "DX" },
    { id: "winch", stem: "FX", second: "DX" },
    { id: "bell", stem: "FX", mute: true },
  ],
  mixes: [
    {
      id: "m",
      name: "M&E",
      labels: ["L", "R"],
      rest: true,
      terms: [
        { row: "stem", from: "DX", gainDB: 0, out: true },
        { row: "strand", from: "DX/Ines", gainDB: 0 },
      ],
    },
  ],
} as unknown as ReelView;

describe("the band below the tracks", () => {
  it("shows strands of stems that are opened, and mixes last", () => {
    const names = (opened: string[]) => layBand(view, new Set(opened)).map((b) => `${b.row} ${b.name} ${b.strands}`);
    expect(names([])).toEqual(["stem Dialogue 2", "stem Effects 0", "mix M&E 0"]);
    expect(names(["DX"])).toEqual(["stem Dialogue 2", "strand Ines 0", "strand Tobiah 0", "stem Effects 0", "mix M&E 0"]);
  });

  it("knows which tracks sound in a row", () => {
    const rows = layBand(view, new Set(["DX"]));
    const tracks = (name: string) => [...tracksIn(view, rows.find((r) => r.name === name)!)];
    expect(tracks("Dialogue")).toEqual(["boom", "lav", "plant", "winch"]);
    expect(tracks("Ines")).toEqual(["boom"]);
    expect(tracks("Effects")).toEqual(["winch"]);
    expect(tracks("M&E")).toEqual(["boom", "winch"]);
  });
});

describe("channels inside a clip", () => {
  const take = { channels: [{ name: "L" }, { name: "R" }, { name: "C" }] } as unknown as Take;

  it("are read as gains in dB and written as factors", () => {
    const plain = typedOf({ channels: [1, 2] } as unknown as Clip, take, 2);
    expect(plain).toEqual([
      ["", ""],
      ["0", ""],
      ["", "0"],
    ]);
    expect(matrixOf(plain)).toEqual({
      channels: [1, 2],
      matrix: [
        [1, 0],
        [0, 1],
      ],
    });
    const own = {
      channels: [0, 2],
      matrix: [
        [0.5, 0],
        [0, 1],
      ],
    } as unknown as Clip;
    expect(typedOf(own, take, 2)).toEqual([
      ["-6", ""],
      ["", ""],
      ["", "0"],
    ]);
    const balanced = matrixOf([
      ["−6", ""],
      ["", ""],
      ["-3,5", "0"],
    ]);
    expect(balanced).toEqual({
      channels: [0, 2],
      matrix: [
        [10 ** (-6 / 20), 10 ** (-3.5 / 20)],
        [0, 1],
      ],
    });
  });

  it("say what is no gain", () => {
    expect(matrixOf([["", ""]])).toContain("at least one");
    expect(matrixOf([["loud", ""]])).toContain("loud");
    expect(matrixOf([["30", ""]])).toContain("24 dB");
  });
});
