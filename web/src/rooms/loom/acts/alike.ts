// Clips that have something in common, to be chosen and acted on together.
import type { Clip, ReelView, Take } from "../../../api/client";
import { slipOf } from "../ground/choice";
import { trackOf } from "../ground/lookup";

/** What clips may have in common with one, or by themselves. */
export type Alike = "take" | "microphone" | "strand" | "stem" | "name" | "muted" | "adrift" | "worked";

/** Those that are asked of a clip that is chosen. */
export const ofOne: readonly Alike[] = ["take", "microphone", "strand", "stem", "name"];

/** The microphones of a clip: the names of its channels in its take. */
const mics = (c: Clip, takes: ReadonlyMap<string, Take>) => {
  const channels = takes.get(c.take)?.channels;
  return c.channels.map((i) => channels?.[i]?.name ?? "").filter((name) => name !== "");
};

/** Whether anything was done inside a clip: to its level, its channels, its ends or its sound. */
export const isWorkedOn = (c: Clip) =>
  c.gainDB !== 0 ||
  [c.gain, c.pan, c.chain, c.settled].some((list) => (list?.length ?? 0) > 0) ||
  (c.fadeIn?.length ?? 0) + (c.fadeOut?.length ?? 0) > 0 ||
  (c.lanes ?? []).some((l) => Object.values(l).some((v) => (Array.isArray(v) ? v.length > 0 : Boolean(v))));

export function alike(view: ReelView, takes: ReadonlyMap<string, Take>, by: Alike, clip: Clip | undefined): Clip[] {
  const strandOf = (c: Clip) => trackOf(view, c.track)?.strand ?? "";
  const stemOf = (c: Clip) => trackOf(view, c.track)?.stem;
  const own = clip ? mics(clip, takes) : [];
  const has: Record<Alike, (c: Clip) => boolean> = {
    take: (c) => c.take === clip?.take,
    microphone: (c) => mics(c, takes).some((name) => own.includes(name)),
    strand: (c) => !!clip && strandOf(c) === strandOf(clip) && stemOf(c) === stemOf(clip),
    stem: (c) => !!clip && stemOf(c) === stemOf(clip),
    name: (c) => c.name === clip?.name,
    muted: (c) => !!c.mute,
    adrift: (c) => slipOf(c) !== 0,
    worked: isWorkedOn,
  };
  return view.clips.filter(has[by]);
}
