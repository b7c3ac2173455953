import { describe, expect, it } from "vitest";

import type { Match, Take } from "../../api/client";
import { driftFrames, driftWords, offsetWords, referenceSets, rowOf, sure, takeSets, tieOf, wantsPlace } from "./figures";

const pal = { num: 25, den: 1, drop: false };
const take = (part: object) =>
  ({ id: "a", kind: "recording", channels: [{}], tie: null, description: { roll: "LF03", scene: "12A" }, ...part }) as unknown as Take;
const match = (part: object, result: object = {}) =>
  ({
    take: "a",
    reference: "m",
    method: "both",
    refused: false,
    ...part,
    result: { offsetSamples: 480, driftPPM: 12, confidence: 0.9, runnerUp: 0.2, ...result },
  }) as unknown as Match;

describe("figures of a match", () => {
  it("give an offset in seconds, frames and samples", () => {
    expect(offsetWords(207364, 48000, pal)).toEqual({ seconds: "+4.320 s", frames: "+108 fr 4 smp" });
    expect(offsetWords(-1921, 48000, pal)).toEqual({ seconds: "−0.040 s", frames: "−1 fr 1 smp" });
    expect(offsetWords(0, 48000, { num: 30000, den: 1001, drop: true }).frames).toBe("+0 fr 0 smp");
  });
  it("give a drift in ppm and in frames over the take", () => {
    expect(driftFrames(10, 48000 * 3600, 48000, pal)).toBeCloseTo(0.9);
    expect([driftWords(0), driftWords(-3.456)]).toEqual(["none", "−3.46 ppm"]);
  });
});

describe("how a take stands", () => {
  it("follows from its tie, else from what was found", () => {
    const tie = { reference: "x", offset: 7, driftPPM: 0, confidence: 1 };
    expect(rowOf(take({ tie }), match({}))).toMatchObject({ state: "tied", reference: "x", offset: 7 });
    expect(rowOf(take({}), undefined).state).toBe("open");
    expect(rowOf(take({}), match({ reference: null })).state).toBe("none");
    expect(rowOf(take({}), match({ refused: true })).state).toBe("refused");
    expect(rowOf(take({}), match({}))).toMatchObject({ state: "found", offset: 480, drift: 12 });
  });
  it("is sure only where nothing else comes near", () => {
    expect(sure(rowOf(take({}), match({})))).toBe(true);
    expect(sure(rowOf(take({}), match({}, { runnerUp: 0.9 })))).toBe(false);
    expect(sure(rowOf(take({}), match({}, { confidence: 0.5 })))).toBe(false);
    expect(sure(rowOf(take({}), match({ refused: true })))).toBe(false);
  });
  it("is tied as it was nudged", () => {
    expect(tieOf(rowOf(take({}), match({})), 481.6)).toEqual({
      reference: "m",
      offset: 482,
      driftPPM: 12,
      confidence: 0.9,
      method: "both",
    });
  });
});

describe("what to choose from", () => {
  const all = [
    take({ id: "a" }),
    take({ id: "b", description: { roll: "B02", scene: "18C" }, tie: {} }),
    take({ id: "m", kind: "camera" }),
    take({ id: "p", kind: "picture", channels: [] }),
  ];
  it("are rolls, what was chosen, and what is not tied", () => {
    expect(takeSets(all, ["b"]).map((s) => s.name)).toEqual([
      "The take you chose",
      "All recordings (2)",
      "Roll LF03 (1)",
      "Roll B02 (1)",
      "What is not tied yet (1)",
    ]);
    // What was chosen stays chosen, however many come in.
    const more = [...all, take({ id: "c" })];
    expect(takeSets(more, ["b"]).map((s) => s.key)).toEqual(takeSets(all, ["b"]).map((s) => s.key));
    expect(new Set(takeSets(all, ["b"]).map((s) => s.key)).size).toBe(5);
  });
  it("leave out what was not recorded to a picture", () => {
    expect(wantsPlace(take({ description: { scene: "", startSamples: null } }))).toBe(false);
    expect(wantsPlace(take({ description: { scene: "", startSamples: 5 } }))).toBe(true);
  });
  it("are movies first, then takes", () => {
    expect(referenceSets(all, (t) => t.id)).toEqual([
      {
        group: "Movies",
        sets: [
          { key: "cameras", name: "All camera movies (1)", ids: ["m"] },
          { key: "p", name: "p", ids: ["p"] },
          { key: "m", name: "m", ids: ["m"] },
        ],
      },
      {
        group: "Another take",
        sets: [
          { key: "a", name: "a", ids: ["a"] },
          { key: "b", name: "b", ids: ["b"] },
        ],
      },
    ]);
  });
  it("tell takes of one title apart", () => {
    const three = ["x", "y", "z"].map((id) => take({ id, fileName: id === "z" ? "x.wav" : `${id}.wav` }));
    const sets = referenceSets(three, () => "12A, take 3")[0]!.sets;
    expect(sets.map((s) => s.name)).toEqual(["12A, take 3, x.wav", "12A, take 3, y.wav", "12A, take 3, x.wav (2)"]);
    expect(sets.map((s) => s.ids)).toEqual([["x"], ["y"], ["z"]]);
  });
});
