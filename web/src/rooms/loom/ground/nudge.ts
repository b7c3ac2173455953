// By how much clips are nudged and slipped: a sample, a millisecond, a frame, a second, or as long as something somebody has measured.
import type { ReelView } from "../../../api/client";
import { frameAt, sampleOf } from "../../../ui/timecode";

export const nudgeUnits = ["sample", "ms", "frame", "second", "own"] as const;
export type NudgeUnit = (typeof nudgeUnits)[number];
/** own is in samples; 0 where nobody has given one. */
export type Nudge = { unit: NudgeUnit; own: number };

export const nudgeWords = (n: Nudge): string =>
  ({ sample: "1 sample", ms: "1 ms", frame: "1 frame", second: "1 second", own: `${n.own} samples` })[n.unit];

/** The next unit, leaving out an own one where there is none. */
export function nextUnit(n: Nudge): Nudge {
  const there = nudgeUnits.filter((u) => u !== "own" || n.own > 0);
  return { ...n, unit: there[(there.indexOf(n.unit) + 1) % there.length]! };
}

/** How many samples so many nudges move something that begins at a sample: whole frames where it goes by frames, however long each is. */
export function nudgeBy(view: Pick<ReelView, "head">, n: Nudge, times: number, from: number): number {
  const { sampleRate, frameRate } = view.head;
  if (n.unit === "frame") {
    const frame = frameAt(from, sampleRate, frameRate);
    return sampleOf(Math.max(0, frame + times), sampleRate, frameRate) - sampleOf(frame, sampleRate, frameRate);
  }
  const size = { sample: 1, ms: sampleRate / 1000, second: sampleRate, own: n.own }[n.unit];
  return Math.round(size * times);
}
