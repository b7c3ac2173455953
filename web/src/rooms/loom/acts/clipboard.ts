// What was copied: kept while the page is open, and put on the system's clipboard as text (docs/clipboard.md), so that it can be pasted onto another reel,
// in another production or another browser.
import type { Clip, ReelView, Take, Track } from "../../../api/client";

export type Span = { from: number; to: number };

/** A take that something copied uses, as another production knows it again: by its bytes. */
export type Source = { id: string; sha256: string; stream: number; title: string };

export type Copied = {
  sampleRate: number;
  clips: Clip[];
  /** Those that the clips lie on, from top to bottom. */
  tracks: Track[];
  /** The range that was copied, where it was one: of the clips it is what lies in it. */
  only: Span | null;
  takes: Source[];
};

let copied: Copied | null = null;

export const clipboard = () => copied;

/** The clips with the tracks that they lie on, from top to bottom. */
export function gather(view: ReelView, ids: string[]) {
  const clips = view.clips.filter((c) => ids.includes(c.id));
  return { clips, tracks: view.tracks.filter((t) => clips.some((c) => c.track === t.id)), sampleRate: view.head.sampleRate };
}

/** Copies clips, or what of them lies in a range; gives how many they are. */
export function copy(view: ReelView, takes: ReadonlyMap<string, Take>, ids: string[], only: Span | null): number {
  const found = gather(view, ids);
  if (found.clips.length === 0) return 0;
  const sources = takesOf(found.clips).flatMap((id) => {
    const t = takes.get(id);
    return t ? [{ id, sha256: t.sha256, stream: t.stream, title: t.title }] : [];
  });
  copied = { ...found, only, takes: sources };
  void globalThis.navigator?.clipboard?.writeText(textOf(copied)).catch(() => undefined); // then it can be pasted in this page alone
  return found.clips.length;
}

/** The IDs of all takes that clips use: what sounds, what is borrowed, what they were settled from. */
function takesOf(clips: Clip[]): string[] {
  const ids = new Set<string>();
  eachTake(clips, (id) => {
    ids.add(id);
    return id;
  });
  return [...ids];
}

/** The same with each take's ID changed. */
function eachTake<T>(of: T, change: (id: string) => string): T {
  if (Array.isArray(of)) return of.map((x) => eachTake<unknown>(x, change)) as T;
  if (typeof of !== "object" || of === null) return of;
  const pairs = Object.entries(of).map(([k, v]) => [k, k === "take" && typeof v === "string" ? change(v) : eachTake<unknown>(v, change)]);
  return Object.fromEntries(pairs) as T;
}

const heading = "zesty-loom clips";

export const textOf = (c: Copied): string => JSON.stringify({ is: heading, version: 1, ...c }, null, 1);

/** Reads what was copied from the text of a clipboard; null where it is something else. What the clips hold the core checks. */
export function readText(text: string): Copied | null {
  if (!text.includes(heading)) return null;
  try {
    const c = JSON.parse(text) as Copied & { is: string; version: number };
    if (c.is !== heading || c.version !== 1) return null;
    const lists = [c.clips, c.tracks, c.takes].every((l) => Array.isArray(l) && l.every((x) => typeof x === "object" && x !== null));
    if (!lists || typeof c.sampleRate !== "number") return null;
    const only = c.only && typeof c.only.from === "number" && typeof c.only.to === "number" ? c.only : null;
    return { sampleRate: c.sampleRate, clips: c.clips, tracks: c.tracks, only, takes: c.takes };
  } catch {
    return null;
  }
}

/** What is on the system's clipboard, where that is something copied, becomes what was copied. */
export function take(text: string | undefined) {
  copied = (text && readText(text)) || copied;
}

/** What was copied with the takes of this production: those of others are known again by their bytes. Gives the names of those that are missing. */
export function here(c: Copied, takes: ReadonlyMap<string, Take>): { copied: Copied } | { missing: string[] } {
  const to = new Map<string, string>();
  const missing: string[] = [];
  for (const id of takesOf(c.clips)) {
    const source = c.takes.find((t) => t.id === id);
    const same = takes.get(id) ?? [...takes.values()].find((t) => source && t.sha256 === source.sha256 && t.stream === source.stream);
    if (same) to.set(id, same.id);
    else missing.push(source?.title ?? "a take that is not known");
  }
  if (missing.length > 0) return { missing: [...new Set(missing)] };
  return { copied: { ...c, clips: eachTake(c.clips, (id) => to.get(id)!) } };
}
