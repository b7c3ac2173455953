import { describe, expect, it } from "vitest";

import type { ReelView } from "../../../api/client";
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

  it("zooms no closer and no wider than there is something to be seen", () => {
    const v = { left: 0, perPixel: 100 };
    expect(zoom(v, 0.5, 0).perPixel).toBe(50);
    expect(zoom(v, 1e-6, 0).perPixel).toBe(1 / 16);
    expect(zoom(v, 1e9, 0).perPixel).toBe(48000 * 20);
  });

  it("shows the whole reel, with a little room on both sides", () => {
    expect(whole(view, 1000)).toEqual({ left: 1000 - 20 * 5000, perPixel: 5000 });
    const early = { ...view, clips: [{ start: -479_000 }, { start: 2000 }] };
    expect(whole(early, 1000)).toEqual({ left: -479_000 - 20 * 5500, perPixel: 5500 });
  });

  it("shows no less than some seconds of a short one, and can show any in no room at all", () => {
    const short = { ...view, head: { ...view.head, start: 0 }, end: 10, clips: [] };
    expect(whole(short, 1000).perPixel).toBe(1000); // 20 s
    expect(whole(short, 1000, 1).perPixel).toBe(50);
    expect(whole(short, 100_000, 1).perPixel).toBe(0.5);
    expect(whole(view, 0).perPixel).toBe(48000 * 20);
  });

  it.each([
    [24, [1, 2, 3, 4, 6, 8, 12]],
    [25, [1, 5]],
    [30, [1, 2, 3, 5, 6, 10, 15]],
  ])("has at %i a second the finest ruler whose labels fit", (base, within) => {
    const perFrame = 1100; // so that a label's room is a whole number of everything
    const steps = [...within, ...[1, 2, 5, 10, 20, 30, 60, 120, 300, 600, 1800, 3600].map((s) => s * base)];
    steps.forEach((step, i) => {
      const perPixel = (step * perFrame) / 110; // labels of this step have just the room that they need
      expect(rulerStep({ left: 0, perPixel }, perFrame, base)).toBe(step);
      expect(rulerStep({ left: 0, perPixel: perPixel * 1.001 }, perFrame, base)).toBe(steps[i + 1] ?? step);
    });
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
    const late = {
      ...view,
      clips: [
        { start: 9000, length: 100 },
        { start: 800, length: 50 },
      ],
    } as unknown as ReelView;
    expect(edits(late)).toEqual([800, 850, 1000, 9000, 9100]);
  });
});
