// Clips that were copied: kept while the page is open, so that they can be pasted onto another reel.
import type { Clip, ReelView, Track } from "../../api/client";

let copied: { clips: Clip[]; tracks: Track[]; sampleRate: number } | null = null;

/** The clips with the tracks that they lie on, from top to bottom. */
export function gather(view: ReelView, ids: string[]) {
  const clips = view.clips.filter((c) => ids.includes(c.id));
  return { clips, tracks: view.tracks.filter((t) => clips.some((c) => c.track === t.id)), sampleRate: view.head.sampleRate };
}

export function copy(view: ReelView, ids: string[]): number {
  const found = gather(view, ids);
  if (found.clips.length > 0) copied = found;
  return found.clips.length;
}

export const clipboard = () => copied;
