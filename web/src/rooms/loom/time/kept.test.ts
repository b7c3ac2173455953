import { describe, expect, it } from "vitest";

import { keptColumns } from "./paint";

describe("columns that are kept while time is scrolled", () => {
  it.each([
    ["nothing has moved", 1000, 1000, { by: 0, due: { from: 100, to: 100 } }],
    ["on by three", 1000, 1030, { by: 3, due: { from: 97, to: 100 } }],
    ["back by three", 1000, 970, { by: -3, due: { from: 0, to: 3 } }],
    ["on by nearly three", 1000, 1029.9, { by: 3, due: { from: 97, to: 100 } }],
    ["by half a column", 1000, 1005, null],
    ["out of view", 1000, 2000, null],
    ["out of view, back", 1000, 0, null],
  ])("%s", (_, was, left, is) => expect(keptColumns(was, left, 10, 100)).toEqual(is));

  it("keep to one grid, however often it is scrolled", () => {
    let grid = 0;
    let made = 0;
    for (let i = 1; i <= 500; i++) {
      const left = i * 30.15; // three columns and a hair
      const kept = keptColumns(grid, left, 10, 100);
      if (!kept) made++;
      grid = kept ? grid + kept.by * 10 : left;
      expect(Math.abs(grid - left)).toBeLessThanOrEqual(0.2);
    }
    expect(made).toBeLessThan(500);
    expect(made).toBeGreaterThan(0);
  });
});
