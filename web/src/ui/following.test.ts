import { expect, it } from "vitest";

import { paceFor, runsOnTo } from "./following";

it("runs faster where it is late and slower where it is early, and no further than is hardly seen", () => {
  expect(paceFor(0, 1)).toBe(1);
  expect(paceFor(0.02, 1)).toBeCloseTo(1.08);
  expect(paceFor(-0.02, 0.5)).toBeCloseTo(0.46);
  expect([paceFor(9, 1), paceFor(-9, 1)]).toEqual([1.25, 0.75]);
  // Told of it fifty times a second, it comes to within a millisecond in a second, and does not swing past.
  let late = 0.25;
  for (let i = 0; i < 60; i++) {
    late -= (paceFor(late, 1) - 1) / 50;
    expect(late).toBeGreaterThanOrEqual(0);
  }
  expect(late).toBeLessThan(0.02);
});

it("runs on from the frame that it shows, at its pace, and never back", () => {
  const shown = { mediaTime: 10, expectedDisplayTime: 1000 };
  expect([runsOnTo(shown, 1, 1000), runsOnTo(shown, 1, 1040), runsOnTo(shown, 0.5, 1040)]).toEqual([10, 10.04, 10.02]);
  expect(runsOnTo(shown, 1, 990), "it is not there yet").toBe(10);
});
