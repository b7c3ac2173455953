import { describe, expect, it } from "vitest";

import type { Clip, ReelView } from "../../../api/client";
import { chosenTracks, clipsAt, mainClip, nothing, pieceAt, slipOf, slipSign, there } from "./choice";

const clip = (part: Partial<Clip>) => ({ id: "c", track: "t", start: 1000, length: 500, offset: 200, channels: [0, 1], ...part }) as Clip;
const head = (num: number, den: number) => ({ head: { sampleRate: 48000, frameRate: { num, den, drop: false } } }) as unknown as ReelView;

describe("what is chosen", () => {
  it("leaves out what is gone, also a channel that the clip no longer has", () => {
    const view = { tracks: [{ id: "t" }], clips: [clip({})] } as unknown as ReelView;
    const all = { track: "t", clips: ["c", "gone"], lane: { clip: "c", channel: 1 }, range: { from: 1, to: 2, tracks: ["t", "gone"] } };
    expect(there(view, all)).toEqual({
      track: "t",
      clips: ["c"],
      lane: { clip: "c", channel: 1 },
      range: { from: 1, to: 2, tracks: ["t"] },
    });
    expect(there(view, { ...all, lane: { clip: "c", channel: 2 } }).lane).toBeNull();
    expect(there(view, { ...nothing, track: "gone" }).track).toBe("");
  });
  it("keeps a track, and those beside it, among others", () => {
    const view = { tracks: [{ id: "a" }, { id: "b" }, { id: "c" }], clips: [] } as unknown as ReelView;
    const range = { from: 1, to: 2, tracks: ["b", "gone"] };
    const now = there(view, { ...nothing, track: "b", beside: ["c", "gone"], range });
    expect(now).toMatchObject({ track: "b", beside: ["c"], range: { tracks: ["b"] } });
    expect([...chosenTracks(now)]).toEqual(["b", "c"]);
    expect([...chosenTracks(nothing)]).toEqual([]);
    expect([...chosenTracks({ ...nothing, track: "a" })]).toEqual(["a"]);
  });
  it("has settings of the clip whose channel is chosen, else of the first", () => {
    const view = { clips: [clip({ id: "a" }), clip({ id: "b" })] } as unknown as ReelView;
    expect(mainClip(view, { ...nothing, clips: ["b", "a"] })!.id).toBe("b");
    expect(mainClip(view, { ...nothing, clips: ["b"], lane: { clip: "a", channel: 0 } })!.id).toBe("a");
    expect(mainClip(view, nothing)).toBeUndefined();
  });
  it("finds the topmost clip first, ends excluded", () => {
    const a = clip({ id: "a" });
    const b = clip({ id: "b", start: 1200 });
    expect(clipsAt([a, b], 1300).map((c) => c.id)).toEqual(["b", "a"]);
    expect(clipsAt([a, b], 1500).map((c) => c.id)).toEqual(["b"]);
    expect(clipsAt([a, b], 1000).map((c) => c.id)).toEqual(["a"]);
    expect(clipsAt([a, b], 999)).toEqual([]);
  });
  it("knows the pieces of a channel between its cuts", () => {
    const c = clip({ lanes: [{ cuts: [300, 450] }, {}] });
    expect(pieceAt(c, 0, 1000)).toEqual({ from: 1000, to: 1100 });
    expect(pieceAt(c, 0, 1100)).toEqual({ from: 1100, to: 1250 });
    expect(pieceAt(c, 1, 1100)).toEqual({ from: 1000, to: 1500 });
    expect(pieceAt(c, 2, 1100)).toEqual({ from: 1000, to: 1500 });
    expect(pieceAt(clip({}), 0, 1400)).toEqual({ from: 1000, to: 1500 });
  });
});

describe("a clip that is out of sync", () => {
  it("says by how much, in frames and samples", () => {
    expect(slipOf(clip({ home: 700 }))).toBe(100);
    expect(slipOf(clip({}))).toBe(0);
    expect(slipSign(head(25, 1), 3 * 1920)).toBe("+3 fr");
    expect(slipSign(head(25, 1), -1930)).toBe("−1 fr 10 smp");
    expect(slipSign(head(25, 1), 12)).toBe("+12 smp");
    expect(slipSign(head(25, 1), 0)).toBe("−0 smp");
    expect(slipSign(head(30000, 1001), 1601)).toBe("+1601 smp");
    expect(slipSign(head(30000, 1001), 1602)).toBe("+1 fr");
  });
});
