import { describe, expect, it } from "vitest";

import type { Command, ReelView } from "./client";
import { clipsAfter, withClips } from "./laid";

const clip = (id: string, track: string, start: number, tie = "") => ({ id, track, start, length: 1000, offset: 300, tie });
const view = {
  tracks: ["a", "b", "c"].map((id) => ({ id })),
  clips: [clip("1", "a", 0, "t"), clip("2", "b", 0, "t"), clip("3", "b", 5000), clip("4", "c", 500, "t")],
} as unknown as ReelView;

const lain = (c: Command) => Object.fromEntries(clipsAfter(view, c));

describe("clips as an edit will make them lie", () => {
  it("take along what is tied to them, unless they are moved alone or from row to row", () => {
    expect(lain({ kind: "moveClips", command: { clips: ["1"], by: 40 } })).toEqual({
      1: { start: 40, track: "a" },
      2: { start: 40, track: "b" },
      4: { start: 540, track: "c" },
    });
    expect(lain({ kind: "moveClips", command: { clips: ["1"], by: 40, alone: true, rows: 1 } })).toEqual({ 1: { start: 40, track: "b" } });
    expect(lain({ kind: "moveClips", command: { clips: ["1"], rows: 2 } })).toEqual({ 1: { start: 0, track: "c" } });
    expect(lain({ kind: "moveClips", command: { clips: ["3", "4"], by: 1, rows: 1 } })).toMatchObject({
      3: { track: "c" },
      4: { track: "c", start: 501 }, // there is no row below
      1: { track: "a", start: 1 },
    });
  });

  it("are trimmed with those whose edge is the same", () => {
    const start = { start: 10, offset: 310, length: 990 };
    expect(lain({ kind: "trimClip", command: { clip: "1", edge: "start", by: 10 } })).toEqual({ 1: start, 2: start });
    expect(lain({ kind: "trimClip", command: { clip: "4", edge: "end", by: -10 } })).toEqual({ 4: { length: 990 } });
    expect(lain({ kind: "trimClip", command: { clip: "1", edge: "start", by: 10, alone: true } })).toEqual({ 1: start });
    expect(lain({ kind: "trimClip", command: { clip: "gone", edge: "start", by: 10 } })).toEqual({});
  });

  it("have their sound slipped, and are set", () => {
    expect(lain({ kind: "slipClip", command: { clip: "1", by: 20 } })).toEqual({
      1: { offset: 280 },
      2: { offset: 280 },
      4: { offset: 280 },
    });
    expect(lain({ kind: "slipClip", command: { clip: "1", by: 20, alone: true } })).toEqual({ 1: { offset: 280 } });
    expect(lain({ kind: "setClip", command: { clip: "3", gainDB: -3, mute: undefined } })).toEqual({ 3: { gainDB: -3 } });
    expect(lain({ kind: "removeClips", command: { clips: ["3"] } })).toEqual({});
  });

  it("follow several edits one after another, and laying them over twice is the same", () => {
    const c: Command = {
      kind: "several",
      command: {
        commands: [
          { kind: "moveClips", command: { clips: ["3"], by: 5 } },
          { kind: "trimClip", command: { clip: "3", edge: "start", by: 10 } },
          { kind: "moveClips", command: { clips: ["3"], by: 5 } },
        ],
      },
    };
    const laid = clipsAfter(view, c);
    expect(Object.fromEntries(laid)).toEqual({ 3: { start: 5020, track: "b", offset: 310, length: 990 } });
    const once = withClips(view, laid);
    expect(withClips(once, laid)).toEqual(once);
    expect(withClips(view, new Map())).toBe(view);
  });
});
