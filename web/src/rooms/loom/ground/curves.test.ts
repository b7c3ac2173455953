import { describe, expect, it } from "vitest";

import type { Bus, Track } from "../../../api/client";
import { fadeAt, level, pointsOf, restOf, shownOf, thinned, valueOfY, yOfValue } from "./curves";

describe("curves", () => {
  it("give back the value that was drawn", () => {
    for (const dB of [12, 3.5, 0, -6, -30]) expect(valueOfY("gain", yOfValue("gain", dB, 60), 60)).toBeCloseTo(dB, 1);
    for (const pan of [-1, -0.25, 0, 1]) expect(valueOfY("pan", yOfValue("pan", pan, 60), 60)).toBeCloseTo(pan, 2);
    expect(valueOfY("gain", yOfValue("gain", 0.4, 480), 480)).toBe(0); // near 0 dB it is 0 dB
    for (const [what, values] of [
      ["front", [-1, 0.25, 1]],
      ["spread", [0, 0.5, 1]],
      ["lfe", [-48, -12.5, 12]],
      ["turn", [-360, 45, 360]],
      ["roll", [-180, 7, 180]],
    ] as const) {
      for (const v of values) expect(valueOfY(what, yOfValue(what, v, 720), 720)).toBeCloseTo(v, 1);
    }
    expect(yOfValue("front", 1, 60)).toBe(0); // what is in front is above
  });
  it("are straight between points and level outside", () => {
    const points = [
      { at: 100, value: -6 },
      { at: 200, value: 0 },
    ];
    expect([0, 100, 150, 200, 900].map((at) => level(points, at))).toEqual([-6, -6, -3, 0, 0]);
    expect(level([], 5)).toBe(0);
  });
  it("lose the points that say nothing", () => {
    const line = [0, 1, 2, 3, 4].map((i) => ({ at: i * 10, value: -i }));
    expect(thinned(line, 0.1)).toEqual([line[0], line[4]]);
    const bend = [...line, { at: 50, value: 10 }];
    expect(thinned(bend, 0.1)).toEqual([line[0], line[4], bend[5]]);
  });
});

describe("which curve is shown", () => {
  it("is found by its name, and rests where the track stands", () => {
    const t = {
      gain: [],
      pan: [{ at: 1, value: 0.5 }],
      curves: { turn: [{ at: 2, value: 90 }] },
      feed: { pan: 0.25, front: 0.5 },
    } as unknown as Track;
    expect(shownOf("track turn")).toEqual({ of: "track", what: "turn" });
    expect(shownOf("bus gain")).toEqual({ of: "bus", what: "gain" });
    expect(shownOf("none")).toBeNull();
    expect(pointsOf(t, "turn")).toEqual([{ at: 2, value: 90 }]);
    expect(pointsOf(t, "pan")).toEqual([{ at: 1, value: 0.5 }]);
    expect(pointsOf(t, "roll")).toEqual([]);
    const bus: Bus = { id: "stem DX", row: "stem", from: "DX", curves: { gain: [{ at: 3, value: -6 }] }, feed: { dual: false, pan: 0.25 } };
    expect([pointsOf(bus, "gain"), pointsOf(bus, "pan"), pointsOf(undefined, "gain")]).toEqual([[{ at: 3, value: -6 }], [], []]);
    expect([restOf(bus, "pan"), restOf(bus, "turn"), restOf(undefined, "gain")]).toEqual([0.25, 0, 0]);
    expect([restOf(t, "front"), restOf(t, "roll"), restOf(t, "gain"), restOf(t, "lfe")]).toEqual([0.5, 0, 0, -48]);
  });
});

describe("fades", () => {
  it("have constant power or constant amplitude with their other side", () => {
    for (let i = 0; i <= 100; i += 10) {
      expect(fadeAt({ length: 100, curve: "power" }, i) ** 2 + fadeAt({ length: 100, curve: "power" }, 100 - i) ** 2).toBeCloseTo(1, 9);
      for (const curve of ["linear", "s"] as const)
        expect(fadeAt({ length: 100, curve }, i) + fadeAt({ length: 100, curve }, 100 - i)).toBeCloseTo(1, 9);
    }
  });
});
