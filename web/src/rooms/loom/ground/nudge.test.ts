import { expect, it } from "vitest";

import type { ReelView } from "../../../api/client";
import { nextUnit, nudgeBy, nudgeUnits, nudgeWords, type NudgeUnit } from "./nudge";

const at = (sampleRate: number, num: number, den: number) => ({ head: { sampleRate, frameRate: { num, den, drop: false } } }) as ReelView;
const of = (unit: NudgeUnit) => ({ unit, own: 77 });

it("is as long as its unit at every rate, and whole frames where frames differ in length", () => {
  for (const rate of [44100, 48000, 88200, 96000, 192000]) {
    const view = at(rate, 25, 1);
    expect(nudgeUnits.map((u) => nudgeBy(view, of(u), 1, 0))).toEqual([1, Math.round(rate / 1000), rate / 25, rate, 77]);
    expect(nudgeUnits.map((u) => nudgeBy(view, of(u), -2, rate))).toEqual([-2, -Math.round(rate / 500), (-2 * rate) / 25, -2 * rate, -154]);
  }
  const odd = at(48000, 30000, 1001); // 1601.6 samples a frame
  const steps = [0, 1, 2, 3, 4].map((i) => nudgeBy(odd, of("frame"), i, 0));
  expect(steps).toEqual([0, 1602, 3204, 4805, 6407]);
  expect(nudgeBy(odd, of("frame"), -1, 100), "not before midnight").toBe(0);
});

it("goes through the units that there are", () => {
  let n = { unit: "frame" as NudgeUnit, own: 0 };
  const seen = [1, 2, 3, 4].map(() => {
    n = nextUnit(n);
    return n.unit;
  });
  expect(seen).toEqual(["second", "sample", "ms", "frame"]);
  expect(nextUnit({ unit: "second", own: 5 }).unit).toBe("own");
  expect(nudgeWords(of("own"))).toBe("77 samples");
});
