import { describe, expect, it } from "vitest";

import type { ChainStep, Clip, Take } from "../../api/client";
import { helps, isTreated, micNames, together, treatedTogether, treatmentOf } from "./treatments";

const hum: ChainStep = { id: "hum", kind: "hum" };
const bell: ChainStep = { id: "1", kind: "bell" };
const take = {
  channels: [{ name: "Boom" }, { name: "" }, { name: "L" }, { name: "R" }],
  sets: [{ kind: "bonded", channels: [4, 3], labels: ["L", "R"] }],
  treatments: [
    { channels: [0], steps: [hum], revision: 1 },
    { channels: [2, 3], steps: [bell], off: true, revision: 2 },
  ],
} as unknown as Take;

describe("a treatment", () => {
  it("is found by any of its channels, and is of a whole set", () => {
    expect(treatmentOf(take, 3)?.revision).toBe(2);
    expect(treatmentOf(take, 1)).toBeUndefined();
    expect(together(take, 2)).toEqual([2, 3]);
    expect(together(take, 0)).toEqual([0]);
    expect(micNames(take, [0, 1])).toBe("Boom, channel 2");
  });
  it("is suggested where there is none of its kind yet", () => {
    expect(helps(take, 0, { remedy: [hum] })).toBe(false);
    expect(helps(take, 1, { remedy: [hum] })).toBe(true);
    expect(helps(take, 1, {})).toBe(false);
    expect(treatedTogether([bell], [hum])).toEqual([bell, hum]);
    expect(treatedTogether([bell], [{ ...hum, id: "1" }]).map((s) => s.id)).toEqual(["1", "1-2"]);
    expect(treatedTogether([hum], [hum])).toEqual([hum]);
  });
  it("is what a clip has whose channels it is of, where it does anything", () => {
    const on = (channels: number[]) => isTreated({ channels } as unknown as Clip, take);
    expect([on([0]), on([1]), on([2, 3])]).toEqual([true, false, false]);
    expect(isTreated({ channels: [0] } as unknown as Clip, undefined)).toBe(false);
  });
});
