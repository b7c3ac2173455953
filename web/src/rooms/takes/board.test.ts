import { describe, expect, it } from "vitest";

import type { Channel } from "../../api/client";
import { newReelName, sideOf, spare, switched, whySpare } from "./board";

const channel = (part: Partial<Channel>) => ({ index: 8, name: "Radio", empty: false, rmsDBFS: -30, findings: null, ...part }) as Channel;

describe("channels that are folded away", () => {
  it("are those that are empty or copies, once that is known", () => {
    expect(spare(channel({}))).toBe(false);
    expect(spare(channel({ empty: true }))).toBe(true);
    expect(spare(channel({ findings: [{ kind: "polarity", with: [3], figure: -90, message: "Polarity turned against 3, Boom" }] }))).toBe(true);
    expect(spare(channel({ findings: [{ kind: "hum", with: [], figure: -40, message: "Hum" }] }))).toBe(false);
  });
  it("say why", () => {
    expect(whySpare(channel({ empty: true, rmsDBFS: -84.2 }))).toBe("8, Radio: empty (−84 dBFS)");
    expect(whySpare(channel({ findings: [{ kind: "copy", with: [3], figure: -90, message: "Copy of 3, Boom" }] }))).toBe("8, Radio: copy of 3, Boom");
  });
});

describe("a new reel", () => {
  it("has a name that is free", () => {
    expect(newReelName([])).toBe("Reel 1");
    expect(newReelName(["Reel 1, Crossing", "Reel 3"])).toBe("Reel 2");
  });
});

describe("pairs", () => {
  it("know their sides", () => {
    expect([1, 2, 3, 4, 5].map((i) => sideOf([1, 4], i))).toEqual(["L", "R", null, "L", "R"]);
  });
  it("are switched together and never split", () => {
    expect([...switched(new Set([3]), [1], 2, true)].sort()).toEqual([1, 2, 3]);
    expect([...switched(new Set([1, 2, 3]), [1], 1, false)]).toEqual([3]);
    expect([...switched(new Set([1]), [], 1, false)]).toEqual([]);
  });
});
