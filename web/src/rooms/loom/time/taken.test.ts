import { describe, expect, it } from "vitest";

import { piecesOf, takenIn, type Taken } from "./taken";

const rate = 1000; // 10 samples a bin, 20,000 a piece
const start = 5000;

describe("what a chain takes away", () => {
  it("is the most of a stretch, and not known where nothing was fetched", () => {
    const second = Array.from({ length: 2000 }, (_, i) => (i === 7 ? -9 : i === 8 ? 3 : -1));
    const t: Taken = { of: { row: "track", id: "t" }, start, rate, pieces: new Map([[1, second]]) };
    const at = start + 20_000;
    expect(takenIn(t, at, at + 70)).toBe(-1);
    expect(takenIn(t, at, at + 71)).toBe(-9);
    expect(takenIn(t, at + 75, at + 76)).toBe(-9); // a pixel narrower than a bin
    expect(takenIn(t, at + 80, at + 90)).toBe(3);
    expect(takenIn(t, at + 19_990, at + 40_000)).toBe(-1);
    expect(takenIn(t, start, start + 100)).toBeNull();
  });

  it("is fetched for what is in view, the middle of it first", () => {
    expect(piecesOf(start, rate, start, start + 20_000)).toEqual([0]);
    expect(piecesOf(start, rate, start + 19_999, start + 20_001)).toEqual([0, 1]);
    expect(piecesOf(start, rate, 0, start + 1)).toEqual([0]);
    expect(piecesOf(start, rate, start + 100, start + 100)).toEqual([0]);
    expect(piecesOf(start, rate, start, start)).toEqual([]);
    expect(piecesOf(start, rate, start, start + 20_000 * 32)).toEqual(Array.from({ length: 12 }, (_, i) => 10 + i));
  });
});
