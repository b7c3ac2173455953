// The rows below the tracks: stems, the strands of those that are opened, and mixes.
import type { Mix, ReelView, Row } from "../../../api/client";

export type BandRow = { row: Row; id: string; name: string; stem: string; strands: number };

/** The names of a stem's strands with how many tracks are in each; "" are the tracks in none. */
export function strandsOf(view: ReelView, stem: string): Map<string, number> {
  const counts = new Map<string, number>();
  for (const t of view.tracks) if (t.stem === stem) counts.set(t.strand ?? "", (counts.get(t.strand ?? "") ?? 0) + 1);
  return new Map([...counts].sort(([a], [b]) => (a < b ? -1 : 1)));
}

/** Lays the band out. opened are stems that show their strands. */
export function layBand(view: ReelView, opened: ReadonlySet<string>): BandRow[] {
  const stems = view.stems.flatMap((s): BandRow[] => {
    const named = [...strandsOf(view, s.id).keys()].filter((x) => x !== "");
    const strands = opened.has(s.id)
      ? named.map((x): BandRow => ({ row: "strand", id: `${s.id}/${x}`, name: x, stem: s.id, strands: 0 }))
      : [];
    return [{ row: "stem", id: s.id, name: s.name, stem: s.id, strands: named.length }, ...strands];
  });
  return [...stems, ...view.mixes.map((m): BandRow => ({ row: "mix", id: m.id, name: m.name, stem: "", strands: 0 }))];
}

/** Groups of outputs as rows. */
export const layGroups = (groups: ReelView["groups"]): BandRow[] =>
  groups.map((g): BandRow => ({ row: "group", id: g.id, name: g.name, stem: "", strands: 0 }));

/** The labels of a row's channels. */
export function labelsOf(view: ReelView, row: Row, id: string): string[] {
  switch (row) {
    case "track":
      return view.tracks.find((t) => t.id === id)?.labels ?? [];
    case "mix":
      return view.mixes.find((m) => m.id === id)?.labels ?? [];
    default:
      return view.stems.find((s) => s.id === id.split("/")[0])?.labels ?? [];
  }
}

/** Whether a stem, or a strand of it, is in a mix. A strand goes as it says itself, else as its stem does. */
export function inMix(mix: Mix, stem: string, strand: string | null): boolean {
  const own = strand !== null && mix.terms.find((t) => t.row === "strand" && t.from === `${stem}/${strand}`);
  const term = own || mix.terms.find((t) => t.row === "stem" && t.from === stem);
  return term ? !term.out : mix.rest;
}

/** The tracks that sound in a row, which are not muted. */
export function tracksIn(view: ReelView, b: BandRow): Set<string> {
  const mix = b.row === "mix" && view.mixes.find((m) => m.id === b.id);
  const feeds = (stem: string, strand: string) => {
    if (mix) return stem !== "" && inMix(mix, stem, strand);
    return b.row === "strand" ? `${stem}/${strand}` === b.id : stem === b.id;
  };
  return new Set(
    view.tracks
      .filter((t) => !t.mute && (feeds(t.stem, t.strand ?? "") || (t.second !== undefined && feeds(t.second, ""))))
      .map((t) => t.id),
  );
}
