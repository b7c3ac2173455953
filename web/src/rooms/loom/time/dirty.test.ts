import { describe, expect, it } from "vitest";

import type { Clip, ReelView, Track } from "../../../api/client";
import { nothing, type Choice } from "../ground/choice";
import { keptRows, layRows, type Rows } from "../ground/rows";
import { dirtyRows, paintedOf } from "./dirty";
import type { Scene } from "./paint";

const track = (id: string, of: Partial<Track> = {}) => ({ id, name: id, labels: ["M"], gainDB: 0, ...of }) as Track;
const clip = (id: string, track: string, of: Partial<Clip> = {}) =>
  ({ id, track, take: "t", channels: [0], start: 0, offset: 0, length: 100, ...of }) as Clip;
const view = {
  id: "r",
  head: {},
  marks: [],
  tracks: [track("a"), track("b"), track("c", { folder: "F" }), track("d")],
  clips: [clip("1", "a"), clip("2", "b"), clip("3", "c"), clip("4", "d")],
} as unknown as ReelView;

const none: ReadonlySet<string> = new Set();
const laid = (v: ReelView, was: Rows | null = null, folded = none) => keptRows(was, layRows(v, none, folded));
const base = laid(view);
const still = { takes: new Map(), waves: {}, curves: {}, time: { left: 0, perPixel: 10 } };
const scene = (of: Partial<Scene> = {}) =>
  ({
    view,
    rows: base,
    choice: nothing,
    preview: null,
    drawn: null,
    taken: null,
    onsets: false,
    heights: () => ({}),
    ...still,
    ...of,
  }) as unknown as Scene;
const painted = (s: Scene, all: unknown[] = []) => paintedOf(s, all, s.preview ? s.view.clips.filter((c) => s.preview!(c)) : []);
const dirty = (a: Scene, b: Scene) => {
  const rows = dirtyRows(painted(a), painted(b));
  return rows && [...rows].sort();
};
const edited = (of: Partial<ReelView>) => {
  const now = { ...view, ...of };
  return scene({ view: now, rows: laid(now, base) });
};
const chosen = (of: Partial<Choice>) => scene({ choice: { ...nothing, ...of } });

describe("the rows that are painted again", () => {
  it("are none where nothing has changed, and all where nothing was painted", () => {
    expect(dirty(scene(), scene())).toEqual([]);
    expect(dirtyRows(null, painted(scene()))).toBeNull();
  });
  it("are both where another track is chosen", () => expect(dirty(chosen({ track: "a" }), chosen({ track: "b" }))).toEqual(["a", "b"]));
  it("are those of clips that are chosen, ranges and channels", () => {
    expect(dirty(scene(), chosen({ clips: ["2"] }))).toEqual(["b"]);
    expect(dirty(scene(), chosen({ range: { from: 1, to: 2, tracks: ["a", "d"] } }))).toEqual(["a", "d"]);
    const from = chosen({ range: { from: 1, to: 2, tracks: ["a"] } });
    expect(dirty(from, chosen({ range: { from: 1, to: 3, tracks: ["a"] } }))).toEqual(["a"]);
    expect(dirty(scene(), chosen({ lane: { clip: "4", channel: 0 } }))).toEqual(["d"]);
  });
  it("are those that an edit changed", () => {
    expect(dirty(scene(), edited({ tracks: view.tracks.map((t) => (t.id === "b" ? { ...t, mute: true } : t)) }))).toEqual(["b"]);
    expect(dirty(scene(), edited({ clips: view.clips.map((c) => (c.id === "4" ? { ...c, gainDB: -3 } : c)) }))).toEqual(["d"]);
    const moved = edited({ clips: view.clips.map((c) => (c.id === "1" ? { ...c, track: "d" } : c)) });
    expect(dirty(scene(), moved)).toEqual(["a", "d"]);
  });
  it("are those that a clip is dragged from and to, move by move", () => {
    const to = (track: string, start: number) => scene({ preview: (c) => (c.id === "1" ? { start, track } : undefined) });
    expect(dirty(scene(), to("a", 5))).toEqual(["a"]);
    expect(dirty(to("a", 5), to("b", 5))).toEqual(["a", "b"]);
    expect(dirty(to("b", 5), to("b", 6))).toEqual(["a", "b"]);
    expect(dirty(to("b", 6), scene())).toEqual(["a", "b"]);
  });
  it("are all where time is scrolled, what is curved, how tall, which marks, which rows there are, or the canvas is another", () => {
    for (const of of [
      { time: { left: 1, perPixel: 10 } },
      { time: { left: 0, perPixel: 11 } },
      { curves: {} },
      { waves: {} },
      { takes: new Map() },
      { onsets: true },
      { taken: {} },
    ] as Partial<Scene>[])
      expect(dirty(scene(), scene(of)), JSON.stringify(of)).toBeNull();
    expect(dirty(scene(), edited({ marks: [{ id: "m" }] as never }))).toBeNull();
    expect(dirty(scene(), edited({ tracks: view.tracks.slice(0, 3) }))).toBeNull();
    expect(dirty(scene(), scene({ rows: laid(view, base, new Set(["F"])) }))).toBeNull();
    expect(dirtyRows(painted(scene(), [1]), painted(scene(), [2]))).toBeNull();
  });
  it("are a folder that is shut where one of its tracks has changed", () => {
    const shut = new Set(["F"]);
    const rows = laid(view, null, shut);
    const now = { ...view, clips: view.clips.map((c) => (c.id === "3" ? { ...c, start: 7 } : c)) };
    const after = scene({ view: now, rows: laid(now, rows, shut) });
    expect(dirty(scene({ rows }), after)).toEqual(["folder F"]);
  });
});
