import { describe, expect, it } from "vitest";

import type { Channel, ChannelSet, Take } from "../../api/client";
import { labelIn, relabelled, setName, spare, stemOf, strandOf, swapped, together, trackCount, waysOf, whySpare, without } from "./reading";

const channel = (part: Partial<Channel>) => ({ index: 8, name: "Radio", empty: false, rmsDBFS: -30, findings: null, ...part }) as Channel;
const pair = (l: number, r: number): ChannelSet => ({ kind: "bonded", channels: [l, r], labels: ["L", "R"] });

describe("channels that are folded away", () => {
  it("are those that are empty or copies, once that is known", () => {
    expect(spare(channel({}))).toBe(false);
    expect(spare(channel({ empty: true }))).toBe(true);
    expect(spare(channel({ findings: [{ kind: "polarity", with: [3], figure: -90, message: "Polarity turned against 3, Boom" }] }))).toBe(
      true,
    );
    expect(spare(channel({ findings: [{ kind: "hum", with: [], figure: -40, message: "Hum" }] }))).toBe(false);
  });
  it("say why", () => {
    expect(whySpare(channel({ empty: true, rmsDBFS: -84.2 }))).toBe("8, Radio: empty (−84 dBFS)");
    expect(whySpare(channel({ findings: [{ kind: "copy", with: [3], figure: -90, message: "Copy of 3, Boom" }] }))).toBe(
      "8, Radio: copy of 3, Boom",
    );
  });
});

describe("reading channels together", () => {
  it("takes a channel out of whatever it was in", () => {
    const sets = [pair(1, 2), pair(3, 4)];
    expect(together(sets, pair(2, 3))).toEqual([pair(2, 3)]);
    expect(without(sets, [4])).toEqual([pair(1, 2)]);
    expect(together([pair(3, 4)], pair(1, 2)).map((s) => s.channels[0])).toEqual([1, 3]);
  });
  it("knows which channel carries which label", () => {
    expect([labelIn(pair(4, 2), 4), labelIn(pair(4, 2), 2)]).toEqual(["L", "R"]);
    expect(labelIn(swapped(pair(1, 2)), 1)).toBe("R");
    expect(labelIn({ kind: "field", channels: [1, 2, 3, 4], labels: ["ACN0", "ACN1", "ACN2", "ACN3"] }, 3)).toBe("Z");
    expect(labelIn({ kind: "sum", channels: [1, 2], labels: ["M"] }, 2)).toBe("Σ");
  });
  it("takes a surround set in any order", () => {
    const five: ChannelSet = { kind: "bonded", channels: [1, 2, 3, 4, 5, 6], labels: ["L", "R", "C", "LFE", "Ls", "Rs"] };
    const moved = relabelled(relabelled(five, 1, "C"), 6, "LFE");
    expect([1, 2, 3, 4, 5, 6].map((c) => labelIn(moved, c))).toEqual(["C", "R", "L", "Rs", "Ls", "LFE"]);
    expect(moved.labels).toEqual(five.labels);
    expect(relabelled(five, 9, "C")).toBe(five);
  });
  it("offers what their number allows", () => {
    expect(waysOf([1]).length).toBe(0);
    expect(waysOf([1, 2]).map((w) => w.name)).toEqual(["Stereo pair", "Stereo pair, sides changed over", "Their sum, each at −6 dB"]);
    expect(waysOf([3, 1, 2, 4]).some((w) => w.sets[0]!.kind === "field")).toBe(true);
    expect(waysOf([1, 2, 3, 4, 5, 6]).filter((w) => w.sets.length === 1 && w.sets[0]!.kind === "bonded")).toHaveLength(3);
    for (const n of [2, 3, 4, 5, 6, 7, 8])
      for (const w of waysOf(Array.from({ length: n }, (_, i) => i + 1))) {
        for (const s of w.sets) expect(setName(s)).toBeTruthy();
        const all = w.sets.flatMap((s) => s.channels);
        expect([...all].sort((a, b) => a - b)).toEqual(Array.from({ length: n }, (_, i) => i + 1));
      }
  });
  it("counts a set as one track", () => {
    const take = {
      sets: [pair(1, 2), pair(4, 5)],
      channels: [1, 2, 3, 4, 5].map((index) => channel({ index, unravelled: index < 4 })),
    } as unknown as Take;
    expect(trackCount(take)).toBe(2);
  });
});

describe("stems", () => {
  it("are what was decided, else what is suggested", () => {
    expect(stemOf(channel({ suggested: "AX" }))).toBe("AX");
    expect(stemOf(channel({ suggested: "AX", stem: "DX" }))).toBe("DX");
    expect(strandOf(channel({ suggested: "DX", suggestedStrand: "Ines" }))).toBe("Ines");
    expect(strandOf(channel({ suggested: "DX", suggestedStrand: "Ines", stem: "AX" }))).toBe("");
  });
});
