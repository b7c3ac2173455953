// Objects of a reel by what they are asked for by. A list that an edit left alone is the same list after merging, and is
// sorted once.
import type { Bus, Chain, Clip, Group, Knot, ReelView, Stem, Track } from "../../../api/client";
import type { Tap } from "../../../listen/player";

type Route = ReelView["routes"][number];
export type Finding = ReelView["findings"][number];

const sorted = new WeakMap<readonly unknown[], Map<string, unknown[]>>();

/** Each list is asked for by one key only, so the list itself is what its order is kept under. */
function by<T>(list: readonly T[], key: (x: T) => string): Map<string, T[]> {
  const known = sorted.get(list);
  if (known) return known as Map<string, T[]>;
  const made = new Map<string, T[]>();
  for (const x of list) {
    const k = key(x);
    const there = made.get(k);
    if (there) there.push(x);
    else made.set(k, [x]);
  }
  sorted.set(list, made);
  return made;
}

const none: never[] = [];
const byID = <T extends { id: string }>(list: readonly T[], id: string): T | undefined => by(list, (x) => x.id).get(id)?.[0];

export const trackOf = (view: ReelView, id: string): Track | undefined => byID(view.tracks, id);
export const clipOf = (view: ReelView, id: string): Clip | undefined => byID(view.clips, id);

const tied = new WeakMap<readonly Clip[], Map<string, number>>();

/** How many other clips a clip is tied to. */
export function tiedTo(view: Pick<ReelView, "clips">, clip: Clip): number {
  if (!clip.tie) return 0;
  let counts = tied.get(view.clips);
  if (!counts) {
    counts = new Map();
    for (const c of view.clips) if (c.tie) counts.set(c.tie, (counts.get(c.tie) ?? 0) + 1);
    tied.set(view.clips, counts);
  }
  return (counts.get(clip.tie) ?? 1) - 1;
}
export const stemOf = (view: ReelView, id: string): Stem | undefined => byID(view.stems, id);
export const groupOf = (view: ReelView, id: string): Group | undefined => byID(view.groups, id);

/** What is done with all that arrives at a strand, stem, mix or output group; undefined where nothing is. */
export const busOf = (view: ReelView, row: string, id: string): Bus | undefined => byID(view.buses, `${row} ${id}`);

/** What the sound of a row goes through; undefined where it goes through nothing. */
export const chainOf = (view: Pick<ReelView, "chains">, row: string, id: string): Chain | undefined => byID(view.chains, `${row} ${id}`);

export const routeOf = (view: ReelView, track: string, output: string): Route | undefined =>
  by(view.routes, (r) => `${r.track} ${r.output}`).get(`${track} ${output}`)?.[0];

export const knotsOf = (view: ReelView, row: string, from: string, output: string): Knot[] =>
  by(view.knots, (k) => `${k.row} ${k.from} ${k.output}`).get(`${row} ${from} ${output}`) ?? none;

export const findingOf = (view: ReelView, track: string, output: string): Finding | undefined =>
  by(view.findings, (f) => `${f.track ?? ""} ${f.output ?? ""}`).get(`${track} ${output}`)?.[0];

/** Whether a row is on the reel. */
export const rowThere = (view: ReelView, row: string, id: string) =>
  row === "clip" || row === "microphone"
    ? clipOf(view, id) !== undefined
    : row === "strand"
      ? view.tracks.some((t) => `${t.stem}/${t.strand ?? ""}` === id)
      : rowNamed(view, row, id) !== "";

/** What a row is called. */
export function rowNamed(view: ReelView, row: string, id: string): string {
  const list = { track: view.tracks, stem: view.stems, mix: view.mixes, group: view.groups }[row];
  return list ? (byID<{ id: string; name: string }>(list, id)?.name ?? "") : id.slice(id.indexOf("/") + 1);
}

type Output = ReelView["outputs"][number];

/** Left and right of the pairs of outputs that a group has, by their labels. */
const opposite: Record<string, string> = { L: "R", Lo: "Ro", Lt: "Rt", Ls: "Rs", Lss: "Rss", Lrs: "Rrs", Ltf: "Rtf", Ltr: "Rtr" };

export function pairsIn(view: Pick<ReelView, "outputs">, group: string): [Output, Output][] {
  const own = view.outputs.filter((o) => o.group === group);
  return own.flatMap((left): [Output, Output][] => {
    const right = own.find((o) => o.label === opposite[left.label]);
    return right ? [[left, right]] : [];
  });
}

/** The pair that an output is one side of. */
export function pairOf(view: Pick<ReelView, "outputs">, id: string): [Output, Output] | undefined {
  const group = view.outputs.find((o) => o.id === id)?.group;
  return group === undefined ? undefined : pairsIn(view, group).find((p) => p.some((o) => o.id === id));
}

/** What a way of listening is called. */
export function tapName(view: ReelView, tap: Tap): string {
  switch (tap.kind) {
    case "group":
      return view.groups.find((g) => g.id === tap.id)?.name ?? "nothing";
    case "output": {
      const o = view.outputs.find((x) => x.id === tap.id);
      return o ? `${view.groups.find((g) => g.id === o.group)?.name} ${o.label}` : "nothing";
    }
    case "pair": {
      const sides = pairOf(view, tap.id);
      return sides ? `${view.groups.find((g) => g.id === sides[0].group)?.name} ${sides[0].label} ${sides[1].label}` : "nothing";
    }
    case "stem":
      return view.stems.find((s) => s.id === tap.id)?.name ?? "nothing";
    case "mix":
      return view.mixes.find((m) => m.id === tap.id)?.name ?? "nothing";
    case "strand":
      return tap.id.split("/")[1] || "nothing";
    case "track":
      return view.tracks.find((t) => t.id === tap.id)?.name ?? "nothing";
    default:
      return "all stems";
  }
}
