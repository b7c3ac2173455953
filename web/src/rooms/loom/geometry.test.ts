import { describe, expect, it } from "vitest";

import type { ReelView } from "../../api/client";
import { edits, rulerStep, sampleAt, whole, xOf, zoom } from "./geometry";

const view = {
  head: { start: 1000, sampleRate: 48000 },
  end: 4_801_000,
  clips: [
    { start: 2000, length: 500 },
    { start: 1000, length: 1500 },
  ],
} as unknown as ReelView;

describe("geometry", () => {
  it("keeps what is under the pointer while zooming", () => {
    const v = { left: 48000, perPixel: 100 };
    const at = sampleAt(v, 250);
    const z = zoom(v, 0.5, 250);
    expect(sampleAt(z, 250)).toBeCloseTo(at);
    expect(xOf(z, at)).toBeCloseTo(250);
  });

  it("shows the whole reel", () => {
    const v = whole(view, 1000);
    expect(xOf(v, 1000)).toBeGreaterThan(0);
    expect(xOf(v, 4_801_000)).toBeLessThan(1000);
  });

  it("spaces the ruler so that labels fit", () => {
    for (const perPixel of [8, 100, 2000, 50000, 900000]) {
      const v = { left: 0, perPixel };
      const step = rulerStep(v, 1920, 25);
      if (perPixel < 300000) expect((step * 1920) / perPixel).toBeGreaterThanOrEqual(110);
    }
    for (const base of [24, 25, 30, 48, 50, 60]) {
      for (let perPixel = 1; perPixel < 1e6; perPixel *= 1.7) {
        const step = rulerStep({ left: 0, perPixel }, 48000 / base, base);
        expect(step % base === 0 || base % step === 0).toBe(true); // every second has a label
      }
    }
  });

  it("finds edits once and in order", () => {
    expect(edits(view)).toEqual([1000, 2000, 2500]);
  });
});
