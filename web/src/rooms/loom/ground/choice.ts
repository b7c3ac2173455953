// What is chosen in the Loom: clips, a channel of a clip, a range of time over tracks.
import type { Clip, ReelView } from "../../../api/client";

export type Range = { from: number; to: number; tracks: string[] };

export type Choice = {
  track: string;
  /** The track was chosen itself, at its head, and not as what something lies on. */
  whole?: boolean;
  /** Other tracks that are chosen beside it. */
  beside?: string[];
  clips: string[];
  /** A channel (from 0) of an opened clip. */
  lane: { clip: string; channel: number } | null;
  range: Range | null;
};

export const nothing: Choice = { track: "", clips: [], lane: null, range: null };

/** All chosen tracks. */
export const chosenTracks = (c: Choice): ReadonlySet<string> => new Set([...(c.track ? [c.track] : []), ...(c.beside ?? [])]);

/** Leaves out what is no longer on the reel. */
export function there(view: ReelView, c: Choice): Choice {
  const clips = new Map(view.clips.map((x) => [x.id, x]));
  const lane = c.lane && clips.get(c.lane.clip);
  return {
    track: view.tracks.some((t) => t.id === c.track) ? c.track : "",
    whole: c.whole,
    beside: c.beside?.filter((id) => view.tracks.some((t) => t.id === id)),
    clips: c.clips.filter((id) => clips.has(id)),
    lane: lane && c.lane!.channel < lane.channels.length ? c.lane : null,
    range: c.range && { ...c.range, tracks: c.range.tracks.filter((t) => view.tracks.some((x) => x.id === t)) },
  };
}

/** The clip that settings are shown of: the first chosen one. */
export const mainClip = (view: ReelView, c: Choice): Clip | undefined => view.clips.find((x) => x.id === (c.lane?.clip ?? c.clips[0]));

/** Clips under a place on a track, the topmost first. */
export const clipsAt = (clips: Clip[], at: number): Clip[] => clips.filter((c) => c.start <= at && at < c.start + c.length).reverse();

/** The piece of a channel between its cuts that a place lies in, in samples of the reel. */
export function pieceAt(clip: Clip, channel: number, at: number): { from: number; to: number } {
  const cuts = (clip.lanes?.[channel]?.cuts ?? []).map((f) => f - clip.offset + clip.start);
  const from = cuts.filter((x) => x <= at).at(-1) ?? clip.start;
  const to = cuts.find((x) => x > at) ?? clip.start + clip.length;
  return { from: Math.max(from, clip.start), to: Math.min(to, clip.start + clip.length) };
}

/** How many samples a clip lies later than in sync. */
export const slipOf = (c: Clip) => (c.home === undefined ? 0 : c.start - c.offset - c.home);

/** The same as it stands on the clip's face: +3 fr 120 smp. */
export function slipSign(view: ReelView, slip: number): string {
  const { sampleRate, frameRate } = view.head;
  const size = Math.abs(slip);
  const frames = Math.floor((size * frameRate.num) / (sampleRate * frameRate.den));
  const rest = size - Math.ceil((frames * sampleRate * frameRate.den) / frameRate.num);
  const parts = [frames > 0 && `${frames} fr`, (rest > 0 || frames === 0) && `${Math.max(rest, 0)} smp`].filter(Boolean).join(" ");
  return `${slip > 0 ? "+" : "−"}${parts}`;
}
