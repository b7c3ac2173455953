// Where things that are dragged catch: at edits, marks and the shuttle where one is near, else at frames.
import type { ReelView } from "../../api/client";
import type { Timed } from "./geometry";
import { frameAt, sampleOf } from "../../ui/timecode";

/** How near something must be to catch, in pixels. */
const reach = 7;

/** Sorted places that catch. */
export function catches(view: ReelView, shuttle: number, without: ReadonlySet<string>): number[] {
  const out = [view.head.start, shuttle];
  for (const c of view.clips) if (!without.has(c.id)) out.push(c.start, c.start + c.length);
  for (const m of view.marks) out.push(m.at, m.at + (m.length ?? 0));
  return [...new Set(out)].sort((a, b) => a - b);
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

export type Snap = { on: boolean; catches: number[]; perPixel: number };

/** Where a place goes: to what is near, else to the nearest frame; anywhere when snapping is off. */
export function snapped(view: ReelView, at: number, s: Snap): number {
  if (!s.on) return Math.round(at);
  const near = nearest(s.catches, at);
  if (near !== undefined && Math.abs(near - at) <= reach * s.perPixel) return near;
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
