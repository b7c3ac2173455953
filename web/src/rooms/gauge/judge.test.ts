import { describe, expect, it } from "vitest";

import { judged, placeWords, verdictOf, type GaugePlace, type GaugeRow } from "./judge";

const whole = {
  integratedLUFS: -22.6,
  momentaryMaxLUFS: -15,
  shortTermMaxLUFS: -18.4,
  loudnessRangeLU: 6,
  truePeakMaxDBTP: -1.004,
  ppmMax: 6,
  channels: [],
  details: [],
  pairs: [],
  spread: [],
  seconds: 60,
};
const row = (of: Partial<NonNullable<GaugeRow["whole"]>>, limit: GaugeRow["limit"]): GaugeRow => ({
  row: "group",
  id: "g",
  name: "Full mix",
  tag: "MIX",
  labels: ["L", "R"],
  whole: { ...whole, ...of },
  limit,
});
const verdict = (what: string, r: GaugeRow) => judged(r).find((j) => j.what === what)!.verdict;

describe("judging", () => {
  const asked = { integrated: -23, tolerance: 0.5, truePeak: -1, shortTermMax: -18 };
  it("is inside up to the tolerance, and off beyond it", () => {
    expect(verdict("Integrated", row({}, asked))).toBe("in");
    expect(verdict("Integrated", row({ integratedLUFS: -22.4 }, asked))).toBe("off");
    expect(verdict("Integrated", row({ integratedLUFS: -23.6 }, asked))).toBe("off");
    expect(verdict("True peak", row({ truePeakMaxDBTP: -0.9 }, asked))).toBe("off");
    expect(verdictOf(row({}, asked))).toBe("in");
    expect(verdictOf(row({ truePeakMaxDBTP: -0.9 }, asked))).toBe("off");
  });
  it("never passes what can't be measured", () => {
    expect(verdict("Integrated", row({ integratedLUFS: null }, asked))).toBe("off");
    expect(verdict("Short-term max", row({ shortTermMaxLUFS: null }, asked))).toBe("off");
    expect(verdictOf(row({ unmeasured: 1 }, asked))).toBe("off");
    expect(verdict("Dialogue", row({}, { ...asked, measured: "dialogue" }))).toBe("off");
  });
  it("takes silence for below any limit", () => {
    expect(verdict("Short-term max", row({ truePeakMaxDBTP: null, shortTermMaxLUFS: null }, asked))).toBe("in");
  });
  it("holds the dialogue to the target where that is anchored to it, and the whole to nothing", () => {
    const r = row({ integratedLUFS: -10, dialogue: { lufs: -23.2, share: 0.4 } }, { ...asked, measured: "dialogue" });
    expect(verdict("Integrated", r)).toBe("free");
    expect(verdict("Dialogue", r)).toBe("in");
  });
  it("says what each was before a correction that acts", () => {
    const correction = { before: { integrated: -18.2, truePeak: 0.3 }, off: false } as GaugeRow["correction"];
    const was = (r: GaugeRow) =>
      judged(r)
        .map((j) => [j.what, j.before])
        .filter((x) => x[1] !== undefined);
    expect(was({ ...row({}, asked), correction })).toEqual([
      ["Integrated", -18.2],
      ["True peak", 0.3],
    ]);
    expect(was({ ...row({}, asked), correction: { ...correction!, off: true } })).toEqual([]);
  });
  it("is free where nothing is asked", () => {
    expect(verdictOf(row({}, {}))).toBe("free");
    expect(verdict("Programme meter", row({ ppmMax: 7 }, asked))).toBe("free");
  });
});

describe("places", () => {
  const place = (p: Partial<GaugePlace>): GaugePlace => ({ kind: "short-term", from: 10, to: 12.1, ...p });
  it("says what, for how long, and on which channels", () => {
    expect(placeWords(place({}))).toBe("short-term over for 2.1 s");
    expect(placeWords(place({ kind: "true peak", channels: ["Ls", "Rs"] }))).toBe("true peak, Ls Rs");
    expect(placeWords(place({ kind: "silence", from: 0, to: 34.4 }))).toBe("digital silence for 34 s");
  });
});
