// Which rows of the tracks are to be painted again: painting all of them is most of what a press costs, and most presses change one or two.
import type { Clip, Point, ReelView } from "../../../api/client";
import type { Choice } from "../ground/choice";
import type { TimeView } from "../ground/geometry";
import { trackOf } from "../ground/lookup";
import type { Row, Rows } from "../ground/rows";

/** What of a scene decides what is painted (`Scene` in paint.ts). */
type Scene = {
  view: ReelView;
  time: TimeView;
  takes: unknown;
  rows: Rows;
  choice: Choice;
  preview: ((c: Clip) => { track?: string } | undefined) | null;
  curves: unknown;
  drawn: { id: string; points: Point[] } | null;
  taken: unknown;
  waves: unknown;
  onsets: boolean;
};

/** What a picture was painted of: what all rows have in common, and each row's own. */
export type Painted = { all: unknown[]; rows: Map<string, unknown[]> };

const same = (a: unknown[], b: unknown[]) => a.length === b.length && a.every((x, i) => Object.is(x, b[i]));

/** What a scene is painted of. all is what of the canvas and the page goes into it as well; moved are the clips that are shown elsewhere than they lie. */
export function paintedOf(s: Scene, all: unknown[], moved: Clip[]): Painted {
  const { view, time, choice, rows } = s;
  const chosen = new Map<string, string>();
  const note = (in_: Map<string, string>, key: string, what: string) => in_.set(key, `${in_.get(key) ?? ""} ${what}`);
  const tracks = new Map(view.clips.map((c) => [c.id, c.track]));
  for (const id of choice.clips) note(chosen, tracks.get(id) ?? "", id);
  const shown = new Map<string, string>();
  for (const c of moved) {
    const change = s.preview!(c)!;
    for (const track of new Set([c.track, change.track ?? c.track])) note(shown, track, c.id + JSON.stringify(change));
  }
  const lane = choice.lane && tracks.get(choice.lane.clip);
  const ranged = new Set(choice.range?.tracks);
  const own = (r: Row): unknown[] => {
    if (r.kind === "folder") return [r, ...(r.folded ? r.tracks.flatMap((t) => [t, rows.clips.get(t.id)]) : [])];
    const { id } = r.track;
    return [
      r,
      rows.clips.get(id),
      id === choice.track,
      chosen.get(id),
      shown.get(id),
      lane === id ? `${choice.lane!.clip} ${choice.lane!.channel}` : "",
      ranged.has(id) ? `${choice.range!.from} ${choice.range!.to}` : "",
      s.drawn?.id === id ? s.drawn.points : null,
      trackOf(view, id),
    ];
  };
  return {
    all: [
      ...all,
      view.id,
      view.head,
      view.marks,
      time.left,
      time.perPixel,
      s.takes,
      rows.opened,
      rows.list.map((r) => `${r.id} ${r.y} ${r.height}`).join(),
      s.curves,
      s.taken,
      s.waves,
      s.onsets,
    ],
    rows: new Map(rows.list.map((r) => [r.id, own(r)])),
  };
}

/** The rows that differ; null where all are to be painted. */
export function dirtyRows(was: Painted | null, now: Painted): Set<string> | null {
  if (!was || !same(was.all, now.all)) return null;
  return new Set([...now.rows].filter(([id, own]) => !same(was.rows.get(id) ?? [], own)).map(([id]) => id));
}
