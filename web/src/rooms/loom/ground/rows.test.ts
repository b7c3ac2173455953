import { describe, expect, it } from "vitest";

import type { Clip, ReelView, Track } from "../../../api/client";
import { clipsIn, folderHeight, laneHeight, keptRows, layRows, rowAt, rowsIn, worked } from "./rows";

const clip = (id: string, track: string, start: number, length: number, channels = [0]) =>
  ({ id, track, start, length, channels, offset: 0, gainDB: 0 }) as unknown as Clip;
const view = {
  tracks: [
    { id: "a", name: "Boom", folder: "Dialogue" },
    { id: "b", name: "Deck", folder: "Dialogue", height: 4 },
    { id: "c", name: "Cue" },
  ],
  clips: [clip("1", "a", 0, 10), clip("2", "b", 5, 10, [0, 1, 2, 3]), clip("3", "a", 20, 10)],
} as unknown as ReelView;

describe("rows", () => {
  it("lie under each other, folders first, opened clips with a lane for each channel", () => {
    const rows = layRows(view, new Set(["2"]), new Set());
    expect(rows.list.map((r) => [r.id, r.y])).toEqual([
      ["folder Dialogue", 0],
      ["a", folderHeight],
      ["b", folderHeight + 42],
      ["c", folderHeight + 42 + 112 + 4 * laneHeight],
    ]);
    expect(rows.height).toBe(folderHeight + 42 + 112 + 4 * laneHeight + 42);
    expect(rowAt(rows, folderHeight + 42 + 200)?.id).toBe("b");
    expect(rowAt(rows, rows.height)).toBeUndefined();
  });
  it("fit into the room when that is wanted, and are never too low to read", () => {
    const low = { ...view, tracks: Array.from({ length: 24 }, (_, i) => ({ id: `t${i}`, height: 4 })), clips: [] } as unknown as ReelView;
    expect(layRows(low, new Set(), new Set(), 500).height).toBe(24 * 20);
    expect(layRows(low, new Set(), new Set(), 100).height).toBe(24 * 17);
    expect(layRows(view, new Set(), new Set(["Dialogue"]), 100).height).toBe(100);
  });
  it("are found by their heights", () => {
    const rows = layRows(view, new Set(), new Set());
    expect(rowsIn(rows, 0, 1)).toEqual([0, 1]);
    expect(rowsIn(rows, folderHeight, folderHeight + 43)).toEqual([1, 3]);
    expect(rowsIn(rows, 0, 5000)).toEqual([0, 4]);
  });
  it("are hidden in a folder that is shut", () => {
    const rows = layRows(view, new Set(), new Set(["Dialogue"]));
    expect(rows.list.map((r) => r.id)).toEqual(["folder Dialogue", "c"]);
    expect(rows.byTrack.has("a")).toBe(false);
  });
});

describe("clips of a track", () => {
  it("are found by where they reach, not by where they begin", () => {
    const list = [clip("long", "a", 0, 100), clip("early", "a", 5, 10), clip("late", "a", 60, 10)];
    expect(clipsIn(list, 50, 60).map((c) => c.id)).toEqual(["long"]);
    expect(clipsIn(list, 14, 61).map((c) => c.id)).toEqual(["long", "early", "late"]);
    expect(clipsIn(list, 200, 300)).toEqual([]);
  });
  it("say when something is done inside", () => {
    expect(worked({ ...clip("x", "a", 0, 1), lanes: [{ cuts: [3] }, { hushes: [{ from: 1, to: 2 }] }] } as Clip)).toBe(true);
    expect(worked({ ...clip("x", "a", 0, 1), lanes: [{}] } as Clip)).toBe(false);
  });
});

describe("rows that are laid out anew", () => {
  const track = (id: string, more: object = {}) =>
    ({ id, name: id, labels: ["M"], folder: id === "a" ? "" : "Deck", ...more }) as unknown as Track;
  const clip = (id: string, on: string) => ({ id, track: on, start: 0, length: 10, channels: [0] }) as unknown as Clip;
  const tracks = [track("a"), track("b"), track("c")];
  const clips = [clip("1", "a"), clip("2", "b")];
  const was = layRows({ tracks, clips }, new Set(), new Set());
  it("are the same objects where they are as they were", () => {
    const muted = tracks.map((t) => (t.id === "b" ? { ...t, mute: true } : t));
    const now = keptRows(was, layRows({ tracks: muted, clips }, new Set(), new Set()));
    expect(now.byTrack.get("a")).toBe(was.byTrack.get("a"));
    expect(now.byTrack.get("c")).toBe(was.byTrack.get("c"));
    expect(now.byTrack.get("b")).not.toBe(was.byTrack.get("b"));
    expect(now.byTrack.get("b")!.track).toBe(muted[1]);
    expect(now.list.find((r) => r.kind === "folder")).not.toBe(was.list.find((r) => r.kind === "folder")); // one of its tracks is another
    expect(now.clips.get("a")).toBe(was.clips.get("a"));
  });
  it("are others where they lie elsewhere, or have other clips", () => {
    const taller = tracks.map((t) => (t.id === "a" ? { ...t, height: 4 } : t));
    const now = keptRows(was, layRows({ tracks: taller, clips: [...clips, clip("3", "b")] }, new Set(), new Set()));
    expect(now.byTrack.get("c")).not.toBe(was.byTrack.get("c"));
    expect(now.clips.get("b")).toHaveLength(2);
    expect(now.clips.get("a")).toBe(was.clips.get("a"));
    expect(keptRows(null, now)).toBe(now);
  });
});
