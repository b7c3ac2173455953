import { describe, expect, it } from "vitest";

import type { Clip, ReelView } from "../../../api/client";
import { nothing } from "../ground/choice";
import { commandOf, dragged, gripAt, previewOf, saidOf, type Ground } from "./grips";
import { layRows } from "../ground/rows";

const clip = (id: string, track: string, start: number): Clip =>
  ({
    id,
    name: id,
    track,
    start,
    length: 48000,
    offset: 24000,
    frames: 480_000,
    channels: [0],
    tie: id === "c" ? "" : "t",
    gainDB: 0,
  }) as unknown as Clip;
const view = {
  id: "r",
  head: { start: 0, sampleRate: 48000, frameRate: { num: 25, den: 1, drop: false } },
  end: 480_000,
  tracks: ["1", "2", "3"].map((id) => ({ id, name: id, stem: "DX", strand: "", labels: ["M"], height: 60 })),
  stems: [{ id: "DX", name: "Dialogue", labels: ["M"] }],
  clips: [clip("a", "1", 96_000), clip("b", "2", 96_000), clip("c", "2", 240_000)],
  marks: [],
} as unknown as ReelView;
const rows = layRows(view, new Set(), new Set());
const ground: Ground = {
  view,
  time: { left: 0, perPixel: 960 },
  rows,
  choice: nothing,
  curves: "none",
  snapOf: () => ({ on: false, frames: true, catches: [], perPixel: 960 }),
};
const no = { altKey: false, ctrlKey: false, metaKey: false, shiftKey: false };
const y = (track: string) => rows.byTrack.get(track)!.y + 20;

describe("a drag", () => {
  it("is worked out from where the pointer is: it moves, copies, changes rows and says so", () => {
    const grip = gripAt(ground, no, 125, y("1"))!;
    expect(grip).toMatchObject({ kind: "move", by: 0 });
    const there = dragged(ground, grip, 4800, { ...no, x: 130, y: y("1") });
    expect(commandOf(there)).toEqual({ kind: "moveClips", command: { clips: ["a"], by: 4800, rows: 0, alone: false } });
    expect(saidOf(view, there)).toEqual({ what: "a: +2 fr 960 smp, to 00:00:02:02", keys: "Ctrl copies" });
    expect(previewOf(view, there)!(view.clips[1]!)).toMatchObject({ start: 100_800 }); // tied to it
    expect(previewOf(view, there)!(view.clips[2]!)).toBeUndefined();
    const copy = dragged(ground, grip, 4800, { ...no, ctrlKey: true, x: 130, y: y("1") });
    expect(copy).toMatchObject({ copy: true });
    expect(previewOf(view, copy)!(view.clips[1]!)).toBeUndefined();
    const down = dragged(ground, grip, 4800, { ...no, shiftKey: true, x: 130, y: y("3") });
    expect(down).toMatchObject({ by: 0, rows: 2 });
    expect(saidOf(view, down)).toEqual({
      what: "a: where it was, 2 rows down, to 00:00:02:00",
      keys: "Ctrl copies · Shift keeps the time",
    });
    expect(commandOf(dragged(ground, grip, 0, { ...no, x: 125, y: y("1") }))).toBeNull();
  });

  it("from an empty place takes the clips that its band touches; those it joins stay, and with Ctrl it is a range", () => {
    const grip = gripAt(ground, no, 20, y("1"))!;
    expect(grip).toMatchObject({ kind: "band", clips: [] });
    const far = dragged(ground, grip, 0, { ...no, x: 260, y: y("2") });
    expect(far).toMatchObject({ clips: ["a", "b", "c"] });
    expect([commandOf(far), previewOf(view, far), saidOf(view, far)!.what]).toEqual([null, null, "3 clips"]);
    expect(dragged(ground, grip, 0, { ...no, x: 105, y: y("2") })).toMatchObject({ clips: ["a", "b"] });
    expect(dragged(ground, far, 0, { ...no, x: 99, y: y("2") })).toMatchObject({ clips: [] });
    const up = dragged(ground, gripAt(ground, no, 400, rows.height + 9)!, 0, { ...no, x: 240, y: y("2") });
    expect(up, "from below all rows, to the left").toMatchObject({ clips: ["c"] });
    const joined = { ...ground, choice: { ...nothing, clips: ["c"] } };
    const more = dragged(joined, gripAt(joined, { ...no, shiftKey: true }, 20, y("1"))!, 0, { ...no, x: 120, y: y("1") });
    expect(more).toMatchObject({ clips: ["c", "a"] });
    expect(gripAt(ground, { ...no, ctrlKey: true }, 20, y("1"))).toMatchObject({ kind: "range" });
    expect(gripAt(ground, no, 20, rows.byTrack.get("1")!.y + rows.byTrack.get("1")!.body - 3)).toMatchObject({ kind: "range" });
  });

  it("trims no further than there is sound, and previews what the trim will do", () => {
    const grip = gripAt(ground, no, 101, y("1"))!;
    expect(grip).toMatchObject({ kind: "trim", edge: "start" });
    const far = dragged(ground, grip, -96_000, { ...no, x: 0, y: y("1") });
    expect(far).toMatchObject({ by: -24_000 });
    expect(previewOf(view, far)!(view.clips[1]!)).toEqual({ start: 72_000, offset: 0, length: 72_000 });
    expect(saidOf(view, far)!.what).toBe("Start of a: −12 fr 960 smp, to 00:00:01:12");
    expect(previewOf(view, null)).toBeNull();
  });

  it("slips, and draws a range", () => {
    const slip = gripAt(ground, { ...no, altKey: true }, 125, y("2"))!;
    expect(commandOf(dragged(ground, slip, 100.4, { ...no, x: 125, y: 0 }))).toEqual({ kind: "slipClip", command: { clip: "b", by: 100 } });
    const range = gripAt(ground, { ...no, ctrlKey: true }, 300, y("3"))!;
    expect(range.kind).toBe("range");
    expect(saidOf(view, range)).toBeNull();
    expect(saidOf(view, dragged(ground, range, 0, { ...no, x: 100, y: y("1") }))!.what).toBe("00:00:02:00 to 00:00:06:00");
  });
});
