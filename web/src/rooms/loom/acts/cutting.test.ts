import { beforeEach, describe, expect, it, vi } from "vitest";

import type { Clip, Command, CommandOf, ReelView, Take } from "../../../api/client";
import { nothing, type Choice } from "../ground/choice";
import { cutting } from "./cutting";

const told = vi.hoisted(() => vi.fn());
vi.mock("../../../ui/notices", () => ({ tell: told }));

const clip = (id: string, track: string, start: number, length: number) =>
  ({ id, track, start, length, take: "t", offset: 0, channels: [0], gainDB: -2 }) as unknown as Clip;
const view = {
  head: { sampleRate: 48000, frameRate: { num: 25, den: 1, drop: false }, start: 0 },
  tracks: [
    { id: "a", name: "Boom" },
    { id: "b", name: "Radio" },
  ],
  clips: [clip("1", "a", 0, 48000), clip("2", "a", 48000, 48000), clip("3", "b", 0, 96000)],
  marks: [],
} as unknown as ReelView;

function bench(choice: Partial<Choice>, at = 24000, crossing: ReturnType<Parameters<typeof cutting>[0]["crossing"]> = null) {
  const done: Command[] = [];
  let chosen: Choice | null = null;
  const acts = cutting({
    view,
    takes: new Map([["t", { id: "t" } as Take]]),
    choice: { ...nothing, ...choice },
    at: () => at,
    nudge: () => ({ unit: "frame", own: 0 }),
    crossing: () => crossing,
    doIt: (c) => (done.push(c), Promise.resolve(undefined)),
    choose: (c) => (chosen = c),
  });
  return { acts, done, chosen: () => chosen };
}

describe("what keys do to what is chosen", () => {
  beforeEach(() => told.mockClear());

  it("cuts chosen clips, else those of the track at the shuttle, else says what to choose", () => {
    const a = bench({ clips: ["3"] });
    a.acts.cut();
    const b = bench({ track: "a" });
    b.acts["cut-alone"]();
    const c = bench({ lane: { clip: "1", channel: 0 }, clips: ["1"] });
    c.acts.cut();
    expect([...a.done, ...b.done, ...c.done]).toEqual([
      { kind: "cutClips", command: { at: 24000, clips: ["3"] } },
      { kind: "cutClips", command: { at: 24000, clips: ["1"], alone: true } },
      { kind: "cutLane", command: { clip: "1", channel: 0, at: 24000 } },
    ]);
    const d = bench({});
    d.acts.cut();
    expect(d.done).toEqual([]);
    expect(told).toHaveBeenCalledOnce();
  });

  it("cuts and trims where the sound crosses zero, of all that is cut, where that is asked for", async () => {
    const asked: unknown[] = [];
    const near = (clips: string[], at: number) => (asked.push([clips, at]), Promise.resolve(at + 7));
    const a = bench({ clips: ["3"] }, 24000, near);
    a.acts.cut();
    a.acts["cut-all"]();
    a.acts["trim-start"]();
    await Promise.resolve();
    expect(asked).toEqual([
      [["3"], 24000],
      [[], 24000],
      [["3"], 24000],
    ]);
    expect(a.done).toEqual([
      { kind: "cutClips", command: { at: 24007, clips: ["3"] } },
      { kind: "cutClips", command: { at: 24007, clips: [] } },
      { kind: "trimClip", command: { clip: "3", edge: "start", by: 24007 } },
    ]);
  });

  it("hushes a range on one channel, or on all clips in it", () => {
    const range = { from: 40000, to: 60000, tracks: ["a"] };
    const lane = bench({ clips: ["1"], lane: { clip: "1", channel: 0 }, range });
    lane.acts.hush();
    expect(lane.done).toEqual([{ kind: "hush", command: { clip: "1", channel: 0, from: 40000, to: 60000 } }]);
    const both = bench({ range });
    both.acts.hush();
    expect(both.done).toHaveLength(1); // one step of the history
    expect((both.done[0]!.command as CommandOf<"several">).commands.map((c) => (c.command as CommandOf<"hush">).clip)).toEqual(["1", "2"]);
    const none = bench({ clips: ["1"] });
    none.acts.dip();
    expect(told).toHaveBeenCalledWith(expect.stringContaining("Choose a range first"));
  });

  it("takes a range out, over all tracks with its gap", () => {
    const range = { from: 1000, to: 2000, tracks: ["a"] };
    for (const [key, want] of [
      ["remove", { tracks: ["a"], close: false }],
      ["close", { tracks: ["a"], close: true }],
      ["close-all", { tracks: [], close: true }],
    ] as const) {
      const b = bench({ range });
      b.acts[key]();
      expect(b.done).toEqual([{ kind: "cutOut", command: { from: 1000, to: 2000, ...want } }]);
    }
  });

  it("takes tracks away that were chosen at their heads, and not what a clip lay on", () => {
    const clip = bench({ track: "a", clips: ["1"] });
    clip.acts.remove();
    expect(clip.done).toEqual([{ kind: "removeClips", command: { clips: ["1"] } }]);
    const after = bench({ track: "a" }); // once the clip has gone
    after.acts.remove();
    expect(after.done).toEqual([]);
    expect(told).toHaveBeenCalledWith(expect.stringContaining("a track at its head"));
    const heads = bench({ track: "a", whole: true, beside: ["b"] });
    heads.acts.remove();
    expect(heads.done).toEqual([{ kind: "removeTracks", command: { tracks: ["a", "b"] } }]);
  });

  it("fades to the nearer end, and crossfades two clips that meet", () => {
    const early = bench({ clips: ["1"] }, 4800);
    early.acts.fade();
    expect(early.done[0]).toEqual({ kind: "setClip", command: { clip: "1", fadeIn: { length: 4800, curve: "power" } } });
    const late = bench({ clips: ["1"] }, 43200);
    late.acts.fade();
    expect(late.done[0]!.command).toMatchObject({ fadeOut: { length: 4800 } });
    const pair = bench({ clips: ["2", "1"] });
    pair.acts.fade();
    expect(pair.done[0]).toMatchObject({ kind: "crossfade", command: { left: "1", right: "2", length: 3840 } });
    bench({ clips: ["1"] }, 90000).acts.fade();
    expect(told).toHaveBeenCalledWith(expect.stringContaining("Put the playhead inside the clip"));
  });

  it("nudges by frames, trims to the shuttle, and changes gains by a dB", () => {
    const b = bench({ clips: ["2"] }, 50000);
    b.acts["nudge-on"]();
    b.acts["trim-start"]();
    b.acts.louder();
    expect(b.done).toEqual([
      { kind: "moveClips", command: { clips: ["2"], by: 1920 } },
      { kind: "trimClip", command: { clip: "2", edge: "start", by: 2000 } },
      { kind: "setClip", command: { clip: "2", gainDB: -1 } },
    ]);
  });

  it("keeps a range the right way round", () => {
    const b = bench({ track: "a", range: { from: 10, to: 20, tracks: ["a"] } }, 30);
    b.acts["range-from"]();
    expect(b.chosen()?.range).toEqual({ from: 30, to: 30, tracks: ["a"] });
    const c = bench({ clips: ["1", "3"] });
    c.acts["range-clip"]();
    expect(c.chosen()?.range).toEqual({ from: 0, to: 96000, tracks: ["a", "b"] });
  });

  it("copies, and pastes at the shuttle or where it came from", () => {
    const b = bench({ clips: ["3"] }, 7);
    b.acts.copy();
    b.acts.paste();
    b.acts["paste-there"]();
    expect(b.done.map((c) => c.command)).toEqual([
      expect.objectContaining({ at: 7, track: "" }),
      expect.objectContaining({ at: null, track: "" }),
    ]);
  });

  it("takes away what it copies of a range, and pastes and inserts what lies in it", () => {
    const range = { from: 10, to: 50_000, tracks: ["a"] };
    const b = bench({ track: "b", range }, 7);
    b.acts["cut-away"]();
    expect(b.done).toEqual([{ kind: "cutOut", command: { ...range, close: false } }]);
    b.acts.insert();
    const pasted = b.done[1]!.command as CommandOf<"pasteClips">;
    expect(pasted).toMatchObject({ at: 7, push: true, only: { from: 10, to: 50_000 }, track: "" });
    expect(pasted.clips.map((c) => c.id)).toEqual(["1", "2"]);
    const lane = bench({ clips: ["3"], lane: { clip: "3", channel: 0 }, range: { from: 1, to: 9, tracks: ["b"] } });
    lane.acts["cut-away"]();
    lane.acts.paste();
    expect(lane.done.map((c) => c.kind)).toEqual(["hush", "pasteClips"]);
    expect((lane.done[1]!.command as CommandOf<"pasteClips">).clips.map((c) => c.id)).toEqual(["3"]);
    told.mockClear();
    const nothing = bench({ range: { from: 200_000, to: 300_000, tracks: ["a"] } });
    nothing.acts["cut-away"]();
    expect(nothing.done).toEqual([]);
    expect(told).toHaveBeenCalledWith("No clip lies in the range.");
  });

  it("puts clips on other tracks, slips them, and widens the range over tracks", () => {
    const { acts, done } = bench({ clips: ["1", "2"] });
    acts["clip-down"]();
    acts["slip-back"]();
    expect(done).toEqual([
      { kind: "moveClips", command: { clips: ["1", "2"], by: 0, rows: 1 } },
      { kind: "several", command: { commands: ["1", "2"].map((clip) => ({ kind: "slipClip", command: { clip, by: -1920 } })) } },
    ]);
    const range = { from: 0, to: 10, tracks: ["a"] };
    const wider = bench({ range });
    wider.acts["range-down"]();
    expect(wider.chosen()!.range!.tracks).toEqual(["a", "b"]);
    const least = bench({ range });
    least.acts["range-up"]();
    expect(least.chosen()).toBeNull(); // one track is left
  });
});
