// What Sync shows in figures, and how rows stand. The server finds offsets; this formats and sorts them.
import type { FrameRate, Match, Take, Tie } from "../../api/client";

export type State = "tied" | "found" | "refused" | "none" | "open";

export type Row = {
  take: Take;
  match: Match | undefined;
  state: State;
  reference: string | null;
  offset: number;
  drift: number;
  confidence: number;
};

/** How a take stands: tied, found and to be judged, refused, without a place, or not looked at. */
export function rowOf(take: Take, match: Match | undefined): Row {
  const tie = take.tie;
  if (tie)
    return { take, match, state: "tied", reference: tie.reference, offset: tie.offset, drift: tie.driftPPM, confidence: tie.confidence };
  const base = {
    take,
    match,
    reference: match?.reference ?? null,
    offset: match?.result.offsetSamples ?? 0,
    drift: match?.result.driftPPM ?? 0,
    confidence: match?.result.confidence ?? 0,
  };
  if (!match) return { ...base, state: "open" };
  if (match.reference === null) return { ...base, state: "none" };
  return { ...base, state: match.refused ? "refused" : "found" };
}

/** An offset as seconds, and as frames and samples: +4.320 s, +108 fr 4 smp. */
export function offsetWords(samples: number, sampleRate: number, rate: FrameRate): { seconds: string; frames: string } {
  const sign = samples < 0 ? "−" : "+";
  const size = Math.abs(samples);
  const perFrame = (sampleRate * rate.den) / rate.num;
  const frames = Math.floor(size / perFrame + 1e-9);
  const rest = Math.round(size - frames * perFrame);
  return { seconds: `${sign}${(size / sampleRate).toFixed(3)} s`, frames: `${sign}${frames} fr ${rest} smp` };
}

/** How far a drift takes a take apart over its length, in frames of picture. */
export const driftFrames = (ppm: number, frames: number, sampleRate: number, rate: FrameRate) =>
  (((ppm * 1e-6 * frames) / sampleRate) * rate.num) / rate.den;

export const driftWords = (ppm: number) => (ppm === 0 ? "none" : `${ppm > 0 ? "+" : "−"}${Math.abs(ppm).toFixed(2)} ppm`);

/** A drift of more than this over a take is heard as an echo, or seen, in frames. */
export const driftLimit = 0.02;

export const confidenceWords = (c: number) => (c >= 0.7 ? "sure" : c >= 0.35 ? "likely" : "doubtful");

/** Found matches that need no looking at. */
export const sure = (r: Row) => r.state === "found" && r.confidence >= 0.7 && (r.match?.result.runnerUp ?? 0) < 0.8;

export function tieOf(row: Row, offset: number): Omit<Tie, "title"> {
  return {
    reference: row.reference!,
    offset: Math.round(offset),
    driftPPM: row.drift,
    confidence: row.confidence,
    method: row.match?.method ?? "waveform",
  };
}

/** Whether a take was recorded to a picture, so that it wants a place. Narration and the like were not. */
export const wantsPlace = (t: Take) =>
  t.kind === "recording" && t.channels.length > 0 && (t.description.scene !== "" || t.description.startSamples !== null);

export type TakeSet = { key: string; name: string; ids: string[] };

/** Sets of takes to line up. A key is the same whatever comes in or goes. */
export function takeSets(takes: Take[], asked: string[]): TakeSet[] {
  const sets: TakeSet[] = [];
  const sounding = takes.filter(wantsPlace);
  if (asked.length > 0)
    sets.push({ key: "asked", name: asked.length === 1 ? "The take you chose" : `The ${asked.length} takes you chose`, ids: asked });
  sets.push({ key: "all", name: `All recordings (${sounding.length})`, ids: sounding.map((t) => t.id) });
  for (const roll of [...new Set(sounding.map((t) => t.description.roll).filter(Boolean))]) {
    const ids = sounding.filter((t) => t.description.roll === roll).map((t) => t.id);
    sets.push({ key: `roll ${roll}`, name: `Roll ${roll} (${ids.length})`, ids });
  }
  const loose = sounding.filter((t) => !t.tie);
  if (loose.length > 0 && loose.length < sounding.length)
    sets.push({ key: "loose", name: `What is not tied yet (${loose.length})`, ids: loose.map((t) => t.id) });
  return sets;
}

export type ReferenceSet = { key: string; name: string; ids: string[] };

/** Sets of references: movies first, then single takes. Those of the same title are told apart by their files, and by a number. */
export function referenceSets(takes: Take[], title: (t: Take) => string): { group: string; sets: ReferenceSet[] }[] {
  const cameras = takes.filter((t) => t.kind === "camera");
  const cuts = takes.filter((t) => t.kind === "picture");
  const recordings = takes.filter((t) => t.kind === "recording" && t.channels.length > 0);
  const taken = new Map<string, number>();
  const one = (t: Take): ReferenceSet => {
    const alike = [...cuts, ...cameras, ...recordings].filter((o) => title(o) === title(t));
    const name = alike.length > 1 ? `${title(t)}, ${t.fileName}` : title(t);
    const n = (taken.get(name) ?? 0) + 1;
    taken.set(name, n);
    return { key: t.id, name: n > 1 ? `${name} (${n})` : name, ids: [t.id] };
  };
  const movies = [...cuts, ...cameras].map(one);
  if (cameras.length > 0) movies.unshift({ key: "cameras", name: `All camera movies (${cameras.length})`, ids: cameras.map((t) => t.id) });
  return [
    { group: "Movies", sets: movies },
    { group: "Another take", sets: recordings.map(one) },
  ].filter((g) => g.sets.length > 0);
}
