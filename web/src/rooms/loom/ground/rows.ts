// The rows of the Loom from top to bottom: folders, tracks, and the channels of clips that are opened in place.
import type { Clip, ReelView, Track } from "../../../api/client";

/** Heights of a track's row, by its setting; 0 is the usual. In the lowest, 24 tracks fit a small screen. */
const heights = [42, 20, 42, 70, 112];
/** What a row is at least and at most where all are fitted into the room. */
const fitted = [17, 112] as const;
export const folderHeight = 24;
const lowFolderHeight = 17; // where all tracks are fitted into the room
export const laneHeight = 34;

export type TrackRow = { kind: "track"; id: string; track: Track; y: number; height: number; body: number; lanes: number };
export type FolderRow = { kind: "folder"; id: string; name: string; y: number; height: number; folded: boolean; tracks: Track[] };
export type Row = TrackRow | FolderRow;

export type Rows = { list: Row[]; height: number; byTrack: Map<string, TrackRow>; clips: Map<string, Clip[]>; opened: ReadonlySet<string> };

/**
 * Lays the rows out. opened are clips that show their channels, folded the names of folders that are shut; room is the height
 * in pixels that all tracks are fitted into, where they are.
 */
export function layRows(
  view: Pick<ReelView, "tracks" | "clips">,
  opened: ReadonlySet<string>,
  folded: ReadonlySet<string>,
  room?: number,
): Rows {
  const clips = new Map<string, Clip[]>(view.tracks.map((t) => [t.id, []]));
  const lanes = new Map<string, number>();
  for (const c of view.clips) {
    clips.get(c.track)?.push(c);
    if (opened.has(c.id)) lanes.set(c.track, Math.max(lanes.get(c.track) ?? 0, c.channels.length));
  }
  const body = (t: Track) => heights[t.height ?? 0] ?? heights[0]!;
  const one = room === undefined ? null : fittedBody(view.tracks, folded, room);
  const folderHigh = one === null ? folderHeight : lowFolderHeight;
  const list: Row[] = [];
  const byTrack = new Map<string, TrackRow>();
  let y = 0;
  let folder = "";
  for (const t of view.tracks) {
    if ((t.folder ?? "") !== folder) {
      folder = t.folder ?? "";
      if (folder) {
        list.push({
          kind: "folder",
          id: `folder ${folder}`,
          name: folder,
          y,
          height: folderHigh,
          folded: folded.has(folder),
          tracks: view.tracks.filter((x) => x.folder === folder),
        });
        y += folderHigh;
      }
    }
    if (folder && folded.has(folder)) continue;
    const n = lanes.get(t.id) ?? 0;
    const high = one ?? body(t);
    const row: TrackRow = { kind: "track", id: t.id, track: t, y, body: high, lanes: n, height: high + n * laneHeight };
    list.push(row);
    byTrack.set(t.id, row);
    y += row.height;
  }
  return { list, height: y, byTrack, clips, opened };
}

/** Rows laid out anew, of which those that are as they were before are the same objects: what shows one is not drawn again for another. */
export function keptRows(was: Rows | null, now: Rows): Rows {
  if (!was) return now;
  const before = new Map(was.list.map((r) => [r.id, r]));
  const same = (a: object, b: object) => {
    const keys = Object.keys(b) as (keyof typeof b)[];
    return keys.every((k) => a[k] === b[k] || (Array.isArray(a[k]) && Array.isArray(b[k]) && alike(a[k], b[k])));
  };
  const list = now.list.map((r) => {
    const old = before.get(r.id);
    return old && old.kind === r.kind && same(old, r) ? old : r;
  });
  const byTrack = new Map(list.filter((r) => r.kind === "track").map((r) => [r.id, r]));
  const clips = new Map(
    [...now.clips].map(([id, own]) => {
      const old = was.clips.get(id);
      return [id, old && alike(old, own) ? old : own];
    }),
  );
  return { ...now, list, byTrack, clips };
}

const alike = (a: unknown[], b: unknown[]) => a.length === b.length && a.every((x, i) => x === b[i]);

/** How high each row is where all that are not folded away fit into a height. */
function fittedBody(tracks: Track[], folded: ReadonlySet<string>, room: number): number {
  const shown = tracks.filter((t) => !t.folder || !folded.has(t.folder)).length;
  const folders = tracks.filter((t, i) => t.folder && t.folder !== tracks[i - 1]?.folder).length;
  return Math.max(fitted[0], Math.min(fitted[1], Math.floor((room - folders * lowFolderHeight) / Math.max(1, shown))));
}

/** The rows between two heights, as a range of the list. */
export function rowsIn(rows: Rows, from: number, to: number): [number, number] {
  const first = rows.list.findIndex((r) => r.y + r.height > from);
  const end = rows.list.findIndex((r) => r.y >= to);
  return [Math.max(0, first), end < 0 ? rows.list.length : end];
}

/** The row at a height, or undefined below all. */
export function rowAt(rows: Rows, y: number): Row | undefined {
  return rows.list.find((r) => y >= r.y && y < r.y + r.height);
}

/** The clips of a track that reach into a stretch of time, in order; they are found by halving. */
export function clipsIn(clips: Clip[], from: number, to: number): Clip[] {
  let low = 0;
  let high = clips.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (clips[middle]!.start < to) low = middle + 1;
    else high = middle;
  }
  const out: Clip[] = [];
  for (let i = 0; i < low; i++) if (clips[i]!.start + clips[i]!.length > from) out.push(clips[i]!);
  return out;
}

/** Whether something is done inside a clip that its face does not show otherwise. */
export const worked = (c: Clip) =>
  (c.lanes ?? []).some(
    (l) => l.off || l.gainDB || l.invert || l.delay || l.hushes || l.dips || l.borrowed || l.fadeIn || l.fadeOut || l.chain?.length,
  );
