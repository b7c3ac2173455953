import { describe, expect, it } from "vitest";

import type { CommandOf, ReelView } from "../../../api/client";
import { levelAt, moved, noted, ridden, type Move, type Pass } from "./riding";

const view = {
  tracks: [
    { id: "a", gainDB: -3 },
    {
      id: "b",
      gainDB: -10,
      gain: [
        { at: 0, value: 0 },
        { at: 100_000, value: -10 },
      ],
    },
  ],
  buses: [{ id: "stem DX", gainDB: 2 }],
} as unknown as ReelView;
const a = { row: "track", id: "a" } as const;
const b = { row: "track", id: "b" } as const;
const dx = { row: "stem", id: "DX" } as const;

const pass = (mode: Pass["mode"], moves: Move[], ...targets: Pass["targets"]): Pass => ({ mode, moves, targets });
const curves = (passes: Pass[], to: number) => {
  const c = ridden(view, passes, to);
  return (c?.kind === "several" ? c.command.commands : c ? [c] : []).map((x) => x.command as CommandOf<"setCurve">);
};

describe("levels on the board", () => {
  it("are that of the reel and of the curve together", () => {
    expect(levelAt(view, a, 50_000)).toBe(-3);
    expect(levelAt(view, b, 50_000)).toBe(-15);
    expect(levelAt(view, dx, 0)).toBe(2);
    expect(levelAt(view, { row: "mix", id: "x" }, 0)).toBe(0);
  });

  it("move together, each from where it is, and stay within what can be set", () => {
    expect(moved(view, [a], 1.5)).toEqual({ kind: "setTrack", command: { track: "a", gainDB: -1.5 } });
    expect(moved(view, [a, dx], -100)).toEqual({
      kind: "several",
      command: {
        commands: [
          { kind: "setTrack", command: { track: "a", gainDB: -96 } },
          { kind: "setBus", command: { row: "stem", from: "DX", gainDB: -96 } },
        ],
      },
    });
  });
});

describe("a ride", () => {
  const moves = [
    { at: 1000, by: 0 },
    { at: 2000, by: 4 },
  ];
  it("writes where the hand was, from where the level stood, and holds until it lets go", () => {
    const [c] = curves([pass("touch", moves, a)], 5000);
    expect(c).toMatchObject({ of: "track", id: "a", what: "gain", range: { from: 1000, to: 5000 } });
    expect(c!.points).toEqual([
      { at: 1000, value: 0 },
      { at: 2000, value: 4 },
      { at: 5000, value: 4 },
    ]);
    expect(curves([pass("touch", moves, b)], 5000)[0]!.points).toEqual([
      { at: 1000, value: -0.1 },
      { at: 2000, value: 3.9 },
      { at: 5000, value: 3.9 },
    ]);
  });

  it("trims: what the curve did there is kept, and raised", () => {
    const all = [{ at: 20_000, by: -6 }];
    const [c] = curves([pass("trim", all, b)], 60_000);
    expect(c!.points).toEqual([
      { at: 20_000, value: -8 },
      { at: 60_000, value: -12 },
    ]);
    const over = curves([pass("trim", all, b)], 200_000)[0]!.points;
    expect(over).toEqual([
      { at: 20_000, value: -8 },
      { at: 100_000, value: -16 },
      { at: 200_000, value: -16 },
    ]);
  });

  it("is one step for all hands, and nothing where no time went by", () => {
    expect(curves([pass("touch", moves, a, dx), pass("latch", [{ at: 500, by: 1 }], b)], 5000).map((c) => `${c.of} ${c.id}`)).toEqual([
      "track a",
      "stem DX",
      "track b",
    ]);
    expect(ridden(view, [pass("touch", moves, a)], 1000)).toBeNull();
    expect(ridden(view, [], 1000)).toBeNull();
  });

  it("stays where the hand was until it moves on", () => {
    let list = noted([], 0, 0);
    list = noted(list, 48_000, 0);
    list = noted(list, 96_000, 6);
    expect(list).toEqual([
      { at: 0, by: 0 },
      { at: 94_800, by: 0 },
      { at: 96_000, by: 6 },
    ]);
    expect(noted(list, 96_000, 5).at(-1)).toEqual({ at: 96_000, by: 5 });
    expect(noted(list, 95_000, 5).at(-1)).toEqual({ at: 96_000, by: 5 });
  });
});
