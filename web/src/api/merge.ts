// Puts together a reel that a page has and what the server says has changed since.
import type { ReelView } from "./client";

type Part = NonNullable<ReelView["since"]>;

const byOrder = (a: { order: number; id: string }, b: { order: number; id: string }) => a.order - b.order || (a.id < b.id ? -1 : 1);
const byID = (a: { id: string }, b: { id: string }) => (a.id < b.id ? -1 : 1);
const byStart = (a: { start: number; id: string }, b: { start: number; id: string }) => a.start - b.start || (a.id < b.id ? -1 : 1);
const byPlace = (a: { at: number; id: string }, b: { at: number; id: string }) => a.at - b.at || (a.id < b.id ? -1 : 1);

function joined<T extends { id: string }>(old: T[], put: T[], gone: string[], order: (a: T, b: T) => number): T[] {
  if (put.length + gone.length === 0) return old;
  const out = new Set([...put.map((x) => x.id), ...gone]);
  return [...old.filter((x) => !out.has(x.id)), ...put].sort(order);
}

/** Gives the reel as it is now, or null where the two do not fit together and all of it has to be fetched. */
export function merged(old: ReelView | undefined, now: ReelView): ReelView | null {
  const since: Part | undefined = now.since;
  if (!since) return !old || now.revision >= old.revision ? now : old;
  if (!old || since.revision > old.revision) return null;
  if (now.revision < old.revision) return old; // it was overtaken
  const { gone, routed } = since;
  return {
    ...now,
    since: undefined,
    stems: joined(old.stems, now.stems, gone.stems, byOrder),
    tracks: joined(old.tracks, now.tracks, gone.tracks, byOrder),
    clips: joined(old.clips, now.clips, gone.clips, byStart),
    groups: joined(old.groups, now.groups, gone.groups, byOrder),
    knots: joined(old.knots, now.knots, gone.knots, byID),
    mixes: joined(old.mixes, now.mixes, gone.mixes, byOrder),
    buses: joined(old.buses, now.buses, gone.buses, byID),
    chains: joined(old.chains, now.chains, gone.chains, byID),
    marks: joined(old.marks, now.marks, gone.marks, byPlace),
    outputs: routed ? now.outputs : old.outputs,
    routes: routed ? now.routes : old.routes,
    findings: routed ? now.findings : old.findings,
  };
}
