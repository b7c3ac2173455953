import { describe, expect, it } from "vitest";

import type { Clip, ReelView, Take } from "../../../api/client";
import { layBand, tracksIn } from "./band";
import { factorOf, matrixOf, presetsFor, typedOf } from "../chosen/channels";

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
      ["-6.02", ""],
      ["", ""],
      ["", "0"],
    ]);
    expect(matrixOf(typedOf(own, take, 2))).toEqual(own);
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

  it("turn polarity, and keep it when they are read again", () => {
    expect(["0ø", "ø", "-6.02 p", "−3,01"].map(factorOf)).toEqual([-1, -1, -0.5, Math.SQRT1_2]);
    const turned = { channels: [0], matrix: [[-0.5], [1]] } as unknown as Clip;
    expect(matrixOf(typedOf(turned, take, 2))).toEqual(turned);
  });

  it("have what is often wanted, for tracks of any width", () => {
    const of = (name: string, width: number) => {
      const [a, b] = presetsFor(width)
        .find((p) => p.name === name)!
        .gains(width);
      return matrixOf([a, b]);
    };
    expect(presetsFor(1).map((p) => p.name)).toEqual(["Left to both", "Right to both", "Sum"]);
    expect(presetsFor(6).map((p) => p.name)).toEqual(["Left to both", "Right to both", "Sum"]);
    expect(of("Left to both", 2)).toEqual({ channels: [0], matrix: [[1], [1]] });
    expect(of("Right to both", 1)).toEqual({ channels: [1], matrix: [[1]] });
    const half = [0.5, 0.5];
    expect(of("Sum", 2)).toEqual({ channels: [0, 1], matrix: [half, half] });
    const decoded = [
      [1, 1],
      [1, -1],
    ];
    expect(of("Mid and side", 2)).toEqual({ channels: [0, 1], matrix: decoded });
    const over = [
      [0, 1],
      [1, 0],
    ];
    expect(of("Change over", 2)).toEqual({ channels: [0, 1], matrix: over });
  });

  it("say what is no gain", () => {
    expect(matrixOf([["", ""]])).toContain("at least one");
    expect(matrixOf([["loud", ""]])).toContain("loud");
    expect(matrixOf([["30", ""]])).toContain("24 dB");
  });
});
