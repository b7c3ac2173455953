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

type Kind = keyof Part["gone"];

/** In which order the objects of each kind are listed; a kind that the server has and this has not does not compile. */
const orders: Record<Kind, (a: never, b: never) => number> = {
  stems: byOrder,
  tracks: byOrder,
  clips: byStart,
  groups: byOrder,
  knots: byID,
  mixes: byOrder,
  buses: byID,
  chains: byID,
  marks: byPlace,
  corrections: byID,
};

/**
 * Gives the reel as it is now, or null where the two do not fit together and all of it has to be fetched. What the server says may have been overtaken;
 * what was planned never is: a page that has looked at the server itself may know of an edit that the outbox has not heard of yet, but not of those that wait.
 */
export function merged(old: ReelView | undefined, now: ReelView, planned = false): ReelView | null {
  const since: Part | undefined = now.since;
  if (!since) return planned || !old || now.revision >= old.revision ? now : old;
  if (!old || since.revision > old.revision) return null;
  if (!planned && now.revision < old.revision) return old; // it was overtaken
  const { gone, routed } = since;
  const next: ReelView = {
    ...now,
    since: undefined,
    outputs: routed ? now.outputs : old.outputs,
    routes: routed ? now.routes : old.routes,
    findings: routed ? now.findings : old.findings,
  };
  for (const kind of Object.keys(orders) as Kind[]) {
    const list = joined(
      old[kind] as { id: string }[],
      now[kind],
      gone[kind],
      orders[kind] as (a: { id: string }, b: { id: string }) => number,
    );
    (next as Record<Kind, unknown>)[kind] = list;
  }
  return next;
}
