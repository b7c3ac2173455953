import { describe, expect, it } from "vitest";

import type { ReelView } from "../../../api/client";
import { number } from "../ground/numbers";
import { band, ofPPM } from "./meters";
import { tapName } from "../ground/lookup";

const view = {
  groups: [{ id: "mix", name: "Full mix" }],
  outputs: [
    { id: "mix/L", group: "mix", label: "L" },
    { id: "mix/C", group: "mix", label: "C" },
    { id: "mix/R", group: "mix", label: "R" },
  ],
  stems: [{ id: "DX", name: "Dialogue" }],
  tracks: [{ id: "t1", name: "Boom" }],
} as unknown as ReelView;

describe("what is listened to has a name", () => {
  it("for every kind of tap, also for what is gone", () => {
    expect(tapName(view, { kind: "group", id: "mix" })).toBe("Full mix");
    expect(tapName(view, { kind: "output", id: "mix/L" })).toBe("Full mix L");
    expect(tapName(view, { kind: "pair", id: "mix/R" })).toBe("Full mix L R"); // by either side, the centre between
    expect(tapName(view, { kind: "pair", id: "mix/C" })).toBe("nothing");
    expect(tapName(view, { kind: "stem", id: "DX" })).toBe("Dialogue");
    expect(tapName(view, { kind: "track", id: "t1" })).toBe("Boom");
    expect(tapName(view, { kind: "stems", id: "" })).toBe("all stems");
    expect(tapName(view, { kind: "track", id: "t9" })).toBe("nothing");
  });
});

describe("meters are judged against the spec", () => {
  it("on the programme meter's scale", () => {
    expect(ofPPM(4)).toBe(-18);
    expect(ofPPM(6)).toBe(-10);
    expect(band({ limits: [{ of: ["a"], ppmMax: 5.5 }, { ppmMax: 5 }] } as never)).toEqual([-26, -14]);
    expect(band(undefined)).toEqual([-26, -10]);
  });
});

describe("numbers as people type them", () => {
  it("are read, and words are not", () => {
    expect(["-3", "−3,5", " 2 dB", "", "loud"].map(number)).toEqual([-3, -3.5, 2, null, null]);
  });
});
