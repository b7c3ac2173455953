// Where things that are dragged catch: at edits, marks, onsets and the shuttle where one is near, else at frames.
import type { Clip, ReelView } from "../../../api/client";
import { onsetsIn } from "../../../draw/onsets";
import type { Timed } from "./geometry";
import { frameAt, sampleOf } from "../../../ui/timecode";

/** How near something must be to catch, in pixels. */
const reach = 7;

/** What things catch at, each by itself: whole frames, edges of clips, marks, the playhead, where sounds begin, and for cuts, trims and ranges where sound
 * passes through zero. */
export const snapKinds = ["frames", "edits", "marks", "playhead", "onsets", "crossings"] as const;
export type SnapKind = (typeof snapKinds)[number];
export type Snaps = Record<SnapKind, boolean>;

export const usualSnaps: Snaps = { frames: true, edits: true, marks: true, playhead: true, onsets: false, crossings: false };

export const snapWords: Record<SnapKind, string> = {
  frames: "Whole frames",
  edits: "Edges of clips",
  marks: "Marks",
  playhead: "The playhead",
  onsets: "Where sounds begin, seen from near",
  crossings: "Zero crossings, for cuts, trims and ranges",
};

/** Sorted places that catch: not those of clips that are left out; onsets are found by whoever knows what is seen. */
export function catches(
  view: ReelView,
  shuttle: number,
  without: ReadonlySet<string>,
  kinds: Snaps = usualSnaps,
  onsets: () => number[] = () => [],
): number[] {
  const out = [view.head.start, ...(kinds.onsets ? onsets() : [])];
  if (kinds.playhead) out.push(shuttle);
  if (kinds.edits) for (const c of view.clips) if (!without.has(c.id)) out.push(c.start, c.start + c.length);
  if (kinds.marks) for (const m of view.marks) out.push(m.at, m.at + (m.length ?? 0));
  return [...new Set(out)].sort((a, b) => a - b);
}

/** From farther than this, in samples a pixel, sounds begin too near to each other to catch at. */
const onsetsFrom = 500;

/** Where sounds begin in clips between two samples, sorted, as far as is known by now; none from farther than can be told. */
export function onsetsOf(clips: readonly Clip[], from: number, to: number, perPixel: number): number[] {
  if (perPixel > onsetsFrom) return [];
  const out = new Set<number>();
  for (const c of clips) {
    const [first, last] = [Math.max(from, c.start), Math.min(to, c.start + c.length)];
    if (last <= first) continue;
    c.channels.forEach((channel, i) => {
      const lane = c.lanes?.[i];
      if (lane?.off) return;
      const shift = c.start - c.offset + (lane?.delay ?? 0);
      const hushed = (at: number) => lane?.hushes?.some((h) => at - c.start + c.offset >= h.from && at - c.start + c.offset < h.to);
      for (const frame of onsetsIn(c.take, channel, first - shift, last - shift)) if (!hushed(frame + shift)) out.add(frame + shift);
    });
  }
  return [...out].sort((a, b) => a - b);
}

function nearest(sorted: number[], at: number): number | undefined {
  let low = 0;
  let high = sorted.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (sorted[middle]! < at) low = middle + 1;
    else high = middle;
  }
  const before = sorted[low - 1];
  const after = sorted[low];
  if (before === undefined) return after;
  if (after === undefined) return before;
  return at - before <= after - at ? before : after;
}

export const onFrame = (view: Pick<Timed, "head">, sample: number) =>
  sampleOf(frameAt(Math.max(0, sample), view.head.sampleRate, view.head.frameRate), view.head.sampleRate, view.head.frameRate);

export type Snap = { on: boolean; frames: boolean; catches: number[]; perPixel: number };

/** Where the playhead goes that is put somewhere: onto the frame there, or to the sample where it keeps to none. */
export const putAt = (view: Pick<Timed, "head">, sample: number, onFrames: boolean) =>
  onFrames ? onFrame(view, sample) : Math.max(0, Math.round(sample));

/** Where a place goes: to what is near, else to the nearest frame, where it keeps to frames; anywhere when snapping is off. */
export function snapped(view: ReelView, at: number, s: Snap): number {
  if (!s.on) return Math.round(at);
  const near = nearest(s.catches, at);
  if (near !== undefined && Math.abs(near - at) <= reach * s.perPixel) return near;
  if (!s.frames) return Math.round(at);
  const { sampleRate, frameRate } = view.head;
  return onFrame(view, at + (sampleRate * frameRate.den) / frameRate.num / 2);
}

/** How far something that has several edges is to move, so that whichever edge is nearest catches. */
export function snappedBy(view: ReelView, edges: number[], by: number, s: Snap): number {
  if (!s.on) return Math.round(by);
  let best: number | undefined;
  for (const e of edges) {
    const near = nearest(s.catches, e + by);
    if (near === undefined || Math.abs(near - e - by) > reach * s.perPixel) continue;
    if (best === undefined || Math.abs(near - e - by) < Math.abs(best - by)) best = near - e;
  }
  if (best !== undefined) return best;
  return snapped(view, edges[0]! + by, { ...s, catches: [] }) - edges[0]!;
}
