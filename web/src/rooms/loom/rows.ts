// The rows of the Loom from top to bottom: folders, tracks, and the channels of clips that are opened in place.
import type { Clip, ReelView, Track } from "../../api/client";

/** Heights of a track's row, by its setting; 0 is the usual. */
const heights = [42, 30, 42, 70, 112];
export const folderHeight = 24;
export const laneHeight = 34;

export type TrackRow = { kind: "track"; id: string; track: Track; y: number; height: number; body: number; lanes: number };
export type FolderRow = { kind: "folder"; id: string; name: string; y: number; height: number; folded: boolean; tracks: Track[] };
export type Row = TrackRow | FolderRow;

export type Rows = { list: Row[]; height: number; byTrack: Map<string, TrackRow>; clips: Map<string, Clip[]>; opened: ReadonlySet<string> };

/** Lays the rows out. opened are clips that show their channels, folded the names of folders that are shut. */
export function layRows(view: ReelView, opened: ReadonlySet<string>, folded: ReadonlySet<string>): Rows {
  const clips = new Map<string, Clip[]>(view.tracks.map((t) => [t.id, []]));
  const lanes = new Map<string, number>();
  for (const c of view.clips) {
    clips.get(c.track)?.push(c);
    if (opened.has(c.id)) lanes.set(c.track, Math.max(lanes.get(c.track) ?? 0, c.channels.length));
  }
  const list: Row[] = [];
  const byTrack = new Map<string, TrackRow>();
  let y = 0;
  let folder = "";
  for (const t of view.tracks) {
    if ((t.folder ?? "") !== folder) {
      folder = t.folder ?? "";
      if (folder) {
        list.push({ kind: "folder", id: `folder ${folder}`, name: folder, y, height: folderHeight, folded: folded.has(folder), tracks: view.tracks.filter((x) => x.folder === folder) });
        y += folderHeight;
      }
    }
    if (folder && folded.has(folder)) continue;
    const body = heights[t.height ?? 0] ?? heights[0]!;
    const n = lanes.get(t.id) ?? 0;
    const row: TrackRow = { kind: "track", id: t.id, track: t, y, body, lanes: n, height: body + n * laneHeight };
    list.push(row);
    byTrack.set(t.id, row);
    y += row.height;
  }
  return { list, height: y, byTrack, clips, opened };
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
export const worked = (c: Clip) => (c.lanes ?? []).some((l) => l.off || l.gainDB || l.invert || l.delay || l.hushes || l.dips || l.borrowed || l.fadeIn || l.fadeOut);
