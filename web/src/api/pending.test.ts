import { describe, expect, it } from "vitest";

import type { Command, ReelView } from "./client";
import { laidOver } from "./pending";

const view = {
  outputs: [{ id: "dx/L" }, { id: "dx/R" }],
  knots: [{ id: "stem DX 0 > dx/L", row: "stem", from: "DX", channel: 0, output: "dx/L", gainDB: 0 }],
  tracks: [{ id: "t", name: "Boom", mute: false, gainDB: 0 }],
} as unknown as ReelView;

const cleared: Command = { kind: "clearKnots", command: { at: [{ row: "stem", from: "DX", output: "dx/L" }] } };

describe("edits that are not confirmed yet", () => {
  it("show knots that are tied, changed and cleared", () => {
    const tied = laidOver(view, {
      ties: [
        { row: "track", from: "t", output: "dx/R" },
        { row: "stem", from: "DX", output: "dx/L" },
        { row: "track", from: "t", output: "gone" },
      ],
    });
    expect(tied.knots.map((k) => k.id)).toEqual(["stem DX 0 > dx/L", "track t 0 > dx/R"]);
    const knots = [{ row: "stem" as const, from: "DX", channel: 0, output: "dx/L", gainDB: -6, invert: true }];
    expect(laidOver(view, { command: { kind: "setKnots", command: { knots } } }).knots).toMatchObject([{ gainDB: -6, invert: true }]);
    expect(laidOver(view, { command: cleared }).knots).toEqual([]);
  });

  it("show a track as it will be, and leave alone what they do not know", () => {
    const several: Command = {
      kind: "several",
      command: { commands: [{ kind: "setTrack", command: { track: "t", mute: true } }, cleared] },
    };
    const now = laidOver(view, { command: several });
    expect(now.tracks).toMatchObject([{ name: "Boom", mute: true }]);
    expect(now.knots).toEqual([]);
    expect(laidOver(view, { command: { kind: "removeTracks", command: { tracks: ["t"] } } })).toBe(view);
  });

  it("mean the same when the server has done them already", () => {
    for (const p of [{ command: cleared }, { ties: [{ row: "track" as const, from: "t", output: "dx/R" }] }]) {
      const once = laidOver(view, p);
      expect(laidOver(once, p).knots).toEqual(once.knots);
    }
  });

  it("show a curve at once, so that a second point is added to the first", () => {
    const points = [{ at: 48000, value: -3 }];
    const curve = (of: "track" | "clip" | "stem" | "knot", id: string, what: "gain" | "turn" = "gain"): Command => ({
      kind: "setCurve",
      command: { of, id, what, points },
    });
    const drawn = { ...view, buses: [], clips: [{ id: "c", start: 1000, offset: 100 }] } as unknown as typeof view;
    expect(laidOver(drawn, { command: curve("track", "t") }).tracks).toMatchObject([{ gain: points }]);
    expect(laidOver(drawn, { command: curve("track", "t", "turn") }).tracks).toMatchObject([{ curves: { turn: points } }]);
    expect(laidOver(drawn, { command: curve("clip", "c") }).clips).toMatchObject([{ gain: [{ at: 48000 - 1000 + 100, value: -3 }] }]); // in frames of its take
    const tied = {
      ...drawn,
      knots: [{ id: "stem DX 0 > o", row: "stem", from: "DX", channel: 0, output: "o", gainDB: -3 }],
    } as typeof view;
    const ride = laidOver(tied, { command: curve("knot", "stem DX 0 > o") });
    expect(ride.knots).toMatchObject([{ gainDB: -3, curve: points }]);
    const knots = [{ row: "stem" as const, from: "DX", channel: 0, output: "o", gainDB: -9 }];
    expect(laidOver(ride, { command: { kind: "setKnots", command: { knots } } }).knots).toMatchObject([{ gainDB: -9, curve: points }]);
    const once = laidOver(drawn, { command: curve("stem", "DX") });
    expect(once.buses).toEqual([{ id: "stem DX", row: "stem", from: "DX", curves: { gain: points } }]);
    expect(laidOver(once, { command: curve("stem", "DX") })).toEqual(once);
    const ridden: Command = { kind: "setCurve", command: { of: "track", id: "t", what: "gain", points, range: { from: 0, to: 9 } } };
    expect(laidOver(drawn, { command: ridden })).toBe(drawn); // the rest of the curve is the server's
  });

  it("show what is sent whole as it will be, so that the next change of it keeps the one before", () => {
    const whole = {
      ...view,
      mixes: [{ id: "m", name: "Full", labels: ["L", "R"], rest: true, terms: [], order: 1 }],
      groups: [{ id: "g", name: "Out", tag: "OUT" }],
      marks: [{ id: "k", name: "Horn", at: 5 }],
    } as unknown as typeof view;
    const terms = [{ row: "stem" as const, from: "DX", gainDB: 0, out: true }];
    expect(
      laidOver(whole, { command: { kind: "setMix", command: { id: "m", name: "Full", labels: ["L", "R"], rest: true, terms } } }).mixes,
    ).toMatchObject([{ terms, order: 1 }]);
    expect(
      laidOver(whole, { command: { kind: "setGroup", command: { id: "g", name: "Full mix", layout: "stereo" } } }).groups,
    ).toMatchObject([{ name: "Full mix", tag: "OUT" }]);
    expect(laidOver(whole, { command: { kind: "setMark", command: { id: "k", name: "Bell", at: 5 } } }).marks).toMatchObject([
      { id: "k", name: "Bell" },
    ]);
    expect(laidOver(whole, { command: { kind: "setMix", command: { name: "New", labels: ["M"] } } })).toBe(whole); // what is made has no ID yet
  });
});
