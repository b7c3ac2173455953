import { describe, expect, it, vi } from "vitest";

import type { Clip, ReelView } from "../../../api/client";
import { catches, onsetsOf, putAt, snapKinds, type SnapKind, snapped, snappedBy, type Snaps } from "./snap";

const view = {
  head: { start: 0, sampleRate: 48000, frameRate: { num: 25, den: 1, drop: false } },
  clips: [
    { id: "a", start: 1001, length: 5000 },
    { id: "b", start: 20000, length: 100 },
  ],
  marks: [{ id: "m", at: 30000, length: 40 }],
} as unknown as ReelView;
const on = (perPixel: number, without: string[] = []) => ({
  on: true,
  frames: true,
  perPixel,
  catches: catches(view, 50000, new Set(without)),
});

vi.mock("../../../draw/onsets", () => ({
  onsetsIn: (take: string, channel: number, from: number, to: number) =>
    (take === "t" ? [[100, 900, 5000], [101]][channel]! : []).filter((x) => x >= from && x < to),
}));

describe("onsets", () => {
  const clip = { id: "c", take: "t", channels: [0, 1], start: 10000, offset: 50, length: 1000 } as unknown as Clip;
  it("lie where a clip has the sound, by its offset and its channels' delays", () => {
    expect(onsetsOf([clip], 0, 1e9, 10)).toEqual([10050, 10051, 10850]);
    expect(onsetsOf([{ ...clip, lanes: [{ delay: 48 }, { off: true }] }], 0, 1e9, 10)).toEqual([10098, 10898]);
    expect(onsetsOf([{ ...clip, lanes: [{ delay: 48, hushes: [{ from: 140, to: 149 }] }, { off: true }] }], 0, 1e9, 10)).toEqual([10898]);
    expect(onsetsOf([clip], 10051, 10850, 10)).toEqual([10051]);
    expect(onsetsOf([clip], 0, 1e9, 501)).toEqual([]);
  });
});

describe("snapping", () => {
  it("catches at edits, marks and the shuttle", () => {
    expect(on(1).catches).toEqual([0, 1001, 6001, 20000, 20100, 30000, 30040, 50000]);
    expect(snapped(view, 1004, on(1))).toBe(1001);
    expect(snapped(view, 49990, on(10))).toBe(50000);
    expect(on(1, ["a"]).catches).not.toContain(1001);
  });
  it("catches at each kind by itself", () => {
    const none = Object.fromEntries(snapKinds.map((k) => [k, false])) as Snaps;
    const only = (kind: SnapKind) => catches(view, 50000, new Set(), { ...none, [kind]: true }, () => [7]);
    expect(snapKinds.map(only)).toEqual([[0], [0, 1001, 6001, 20000, 20100], [0, 30000, 30040], [0, 50000], [0, 7], [0]]);
    expect(snapped(view, 9000.4, { ...on(1), frames: false })).toBe(9000);
    expect(snapped(view, 1004, { ...on(1), frames: false })).toBe(1001);
    expect(snappedBy(view, [0, 100], 9003.2, { ...on(1), frames: false })).toBe(9003);
    expect([putAt(view, 9003.2, true), putAt(view, 9003.2, false), putAt(view, -5, false)]).toEqual([7680, 9003, 0]);
  });
  it("goes to the nearest frame elsewhere, and anywhere when it is off", () => {
    expect(snapped(view, 9000, on(1))).toBe(9600);
    expect(snapped(view, 8600, on(1))).toBe(7680);
    expect(snapped(view, 8600.4, { ...on(1), on: false })).toBe(8600);
  });
  it("lets whichever edge is nearest catch", () => {
    // A clip from 0 to 100, moved by about 19905: its end comes near 20000.
    expect(snappedBy(view, [0, 100], 19903, on(1))).toBe(19900);
    expect(snappedBy(view, [0, 100], 9003, on(1))).toBe(9600);
  });
});
