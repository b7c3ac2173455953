// How clips lie once an edit has been made, as far as it can be told without planning it: what is drawn while a hand drags. Places are where clips will
// be, not by how much they move.
import type { Clip, Command, ReelView } from "./client";

export type Laid = ReadonlyMap<string, Partial<Clip>>;

const none: Laid = new Map();

/** Those tied to any of these, themselves among them. */
function tiedTo(view: ReelView, ids: ReadonlySet<string>): Clip[] {
  const ties = new Set(view.clips.filter((c) => ids.has(c.id) && c.tie !== "").map((c) => c.tie));
  return view.clips.filter((c) => ids.has(c.id) || ties.has(c.tie));
}

/** Whether clips go along with a clip whose edge is trimmed: those tied to it that begin, or end, where it does. */
const alongside = (clip: Clip, edge: "start" | "end") => (c: Clip) =>
  edge === "start" ? c.start === clip.start : c.start + c.length === clip.start + clip.length;

export function clipsAfter(view: ReelView, c: Command): Laid {
  switch (c.kind) {
    case "moveClips": {
      const { clips, by = 0, rows = 0, alone } = c.command;
      const ids = new Set(clips);
      const tracks = view.tracks.map((t) => t.id);
      const moved = alone || by === 0 ? view.clips.filter((x) => ids.has(x.id)) : tiedTo(view, ids);
      const row = (x: Clip) => (ids.has(x.id) ? (tracks[tracks.indexOf(x.track) + rows] ?? x.track) : x.track);
      return new Map(moved.map((x) => [x.id, { start: x.start + by, track: row(x) }]));
    }
    case "trimClip": {
      const { clip: id, edge, by, alone } = c.command;
      const clip = view.clips.find((x) => x.id === id);
      if (!clip) return none;
      const trimmed = alone ? [clip] : tiedTo(view, new Set([id])).filter(alongside(clip, edge));
      return new Map(
        trimmed.map((x) => [
          x.id,
          edge === "start" ? { start: x.start + by, offset: x.offset + by, length: x.length - by } : { length: x.length + by },
        ]),
      );
    }
    case "slipClip": {
      const ids = new Set([c.command.clip]);
      const slipped = c.command.alone ? view.clips.filter((x) => ids.has(x.id)) : tiedTo(view, ids);
      return new Map(slipped.map((x) => [x.id, { offset: x.offset - c.command.by }]));
    }
    case "setClip": {
      const { clip, ...set } = c.command;
      const said = Object.entries(set).filter(([, v]) => v !== undefined);
      return said.length === 0 ? none : new Map([[clip, Object.fromEntries(said)]]);
    }
    case "several": {
      const all = new Map<string, Partial<Clip>>();
      let now = view;
      for (const one of c.command.commands) {
        const laid = clipsAfter(now, one);
        now = withClips(now, laid);
        for (const [id, what] of laid) all.set(id, { ...all.get(id), ...what });
      }
      return all;
    }
  }
  return none;
}

/** The reel with clips as they lie then. */
export const withClips = (view: ReelView, laid: Laid): ReelView =>
  laid.size === 0 ? view : { ...view, clips: view.clips.map((c) => (laid.has(c.id) ? { ...c, ...laid.get(c.id) } : c)) };
