// Where things are in the Loom: time in samples to pixels, rows and columns.
import type { ReelView } from "../../../api/client";

export const headsWidth = 244;
export const rulerHeight = 46;
/** Rows of the band below the tracks. */
export const bandHeight = 30;
export const boardBandHeight = 21; // on the board, where outputs are rows too
export const lowBandHeight = 17; // while all tracks are fitted into the room
export const columnWidth = 30;
export const weavePad = 18;
export const reedWidth = 9;

/** What of time is in view: the sample at the left edge and how many samples a pixel stands for. */
export type TimeView = { left: number; perPixel: number };

export const closest = 1 / 16; // samples a pixel
export const widest = 48000 * 20;

/** Something that lies in time: a reel, or a take by itself. */
export type Timed = Pick<ReelView, "id" | "end" | "marks"> & {
  head: Pick<ReelView["head"], "start" | "sampleRate" | "frameRate">;
  clips: { start: number }[];
};

/** All of it, but no less than some seconds. */
export function whole(view: Timed, width: number, least = 20): TimeView {
  const from = Math.min(view.head.start, ...view.clips.map((c) => c.start));
  const to = Math.max(view.end, from + view.head.sampleRate * least);
  const perPixel = Math.min(widest, Math.max(closest, (to - from) / Math.max(1, width * 0.96)));
  return { left: from - perPixel * width * 0.02, perPixel };
}

/** Zooms by a factor, keeping the sample under x where it is. */
export function zoom(v: TimeView, factor: number, x: number): TimeView {
  const perPixel = Math.min(widest, Math.max(closest, v.perPixel * factor));
  return { left: v.left + x * (v.perPixel - perPixel), perPixel };
}

export const xOf = (v: TimeView, sample: number) => (sample - v.left) / v.perPixel;
export const sampleAt = (v: TimeView, x: number) => v.left + x * v.perPixel;

/** Frames between two labels of the ruler: the finest that leaves a label room and divides a second, so that seconds have one. */
export function rulerStep(v: TimeView, samplesPerFrame: number, base: number): number {
  const room = 110;
  const within = Array.from({ length: base - 1 }, (_, i) => i + 1).filter((n) => base % n === 0);
  const steps = [
    ...within,
    base,
    2 * base,
    5 * base,
    10 * base,
    20 * base,
    30 * base,
    60 * base,
    120 * base,
    300 * base,
    600 * base,
    1800 * base,
    3600 * base,
  ];
  return steps.find((s) => (s * samplesPerFrame) / v.perPixel >= room) ?? steps.at(-1)!;
}

/** All starts and ends of clips, in order, for stepping from edit to edit. */
export function edits(view: ReelView): number[] {
  return [...new Set([view.head.start, ...view.clips.flatMap((c) => [c.start, c.start + c.length])])].sort((a, b) => a - b);
}
