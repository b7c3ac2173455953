// The takes of a production, as far as this page has them: brought page by page, and then by what has changed.
import type { KnownTake } from "../ahead/edits";
import type { Take, TakeEdit, TakeList } from "./client";

type Asked = { after?: string; since?: string };

/** Code unit by code unit, as the server has it but for signs that hardly a name has. */
const byOrder = (a: Take, b: Take) => (a.order < b.order ? -1 : a.order > b.order ? 1 : 0);

/** Lays what has changed over a list; nothing where that does not come to as many takes as there are. */
export function caughtUp(had: TakeList, now: TakeList): TakeList | undefined {
  const changed = new Set([...now.takes.map((t) => t.id), ...now.gone]);
  const takes = changed.size === 0 ? had.takes : had.takes.filter((t) => !changed.has(t.id));
  if (takes.length + now.takes.length !== now.count) return undefined;
  return { ...now, takes: now.takes.length === 0 ? takes : [...takes, ...now.takes].sort(byOrder) };
}

/** Gives the takes as they are now, from those that are known, if any. */
export async function takesNow(had: TakeList | undefined, ask: (asked: Asked) => Promise<TakeList>): Promise<TakeList> {
  if (had) {
    const now = await ask({ since: had.stamp });
    const list = now.whole ? undefined : caughtUp(had, now);
    if (list) return list;
  }
  const first = await ask({});
  const takes = new Map(first.takes.map((t) => [t.id, t]));
  let last = first;
  while (last.next) {
    last = await ask({ after: last.next });
    last.takes.forEach((t) => takes.set(t.id, t));
  }
  // What changed while the pages came, the first page's stamp tells the next time.
  return { ...last, stamp: first.stamp, takes: [...takes.values()].sort(byOrder) };
}

/** What commands have to know of takes, by ID. */
export const knownTakes = (takes: Take[]): Record<string, KnownTake> =>
  Object.fromEntries(
    takes.map((t) => [
      t.id,
      { title: t.title, channels: t.channels.length, frames: t.description.frames, sampleRate: t.description.sampleRate },
    ]),
  );

/**
 * A take as an edit will have it, as far as the edit says; what follows from that the server knows. How its channels are read together, and what sort of
 * recording it is, are left: what is measured by them is asked of the server as soon as they are shown.
 */
export function withEdit(t: Take, e: TakeEdit): Take {
  const channels = t.channels.map((c) => {
    const now = Object.assign({}, c, ...(e.channels ?? []).filter((of) => of.index === c.index)) as typeof c;
    return { ...now, unravelled: now.on ?? now.unravelled, stem: now.stem || undefined };
  });
  return { ...t, description: { ...t.description, ...e.slate }, channels };
}

export type EditOfTake = { take: string; edit: TakeEdit };

/** Takes as they will be once what waits for the server has been made. */
export const withWaiting = <L extends { takes: Take[] }>(list: L, waiting: EditOfTake[]): L =>
  waiting.length === 0
    ? list
    : {
        ...list,
        takes: list.takes.map((t) => waiting.filter((e) => e.take === t.id).reduce((now, e) => withEdit(now, e.edit), t)),
      };
