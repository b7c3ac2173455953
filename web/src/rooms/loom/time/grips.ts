// What a press on the tracks in time takes hold of, what dragging makes of it, and the command that it ends in.
import type { Clip, Command, Point, ReelView } from "../../../api/client";
import { clipsAfter } from "../../../api/laid";
import { labelAt } from "../../../ui/timecode";
import { clipsAt, slipSign, type Choice } from "../ground/choice";
import { pointsOf, scaleOf, shownOf, valueOfY, yOfValue, type CurveView, type Parameter } from "../ground/curves";
import { sampleAt, xOf, type TimeView } from "../ground/geometry";
import type { Modifiers } from "../../../ui/press";
import { clipOf, trackOf } from "../ground/lookup";
import type { Preview } from "./paint";
import { laneHeight, rowAt, type Rows, type TrackRow } from "../ground/rows";
import { snapped, snappedBy, type Snap } from "../ground/snap";

/** How near an edge or handle must be, in pixels. */
const near = 6;
/** The foot of a row, where dragging chooses a range, in pixels; a third of a low row. */
const foot = (row: TrackRow) => Math.min(10, row.body / 3);

export type Drag =
  | { kind: "move"; clips: Set<string>; lead: Clip; by: number; rows: number; copy: boolean; alone: boolean }
  | { kind: "trim"; clip: Clip; edge: "start" | "end"; by: number; alone: boolean }
  | { kind: "slip"; clip: Clip; by: number; alone: boolean }
  | { kind: "fade"; clip: Clip; side: "fadeIn" | "fadeOut"; length: number }
  | {
      kind: "point";
      of: "clip" | "track";
      id: string;
      what: Parameter;
      points: Point[];
      index: number;
      offset: number;
      row: TrackRow;
      held?: Point;
    }
  | { kind: "range"; from: number; to: number; first: string; last: string; lane: Choice["lane"] }
  /** A band over rows, in samples and pixels of all rows; what it takes joins what was chosen before it. */
  | { kind: "band"; from: number; to: number; top: number; foot: number; joins: string[]; clips: string[] };

/** What the pointer moves over. */
export type Ground = {
  view: ReelView;
  time: TimeView;
  rows: Rows;
  choice: Choice;
  curves: CurveView;
  /** Snapping without the edges of clips; where their sound stays where it is, its onsets count all the same. */
  snapOf: (without: ReadonlySet<string>, unheard?: ReadonlySet<string>) => Snap;
};

/** What lies under a place: the sample, the row, and its clip or its channel. */
export function under(ground: Ground, x: number, y: number) {
  const { rows, time } = ground;
  const at = sampleAt(time, x);
  const row = rowAt(rows, y);
  if (!row || row.kind === "folder") return { at, row: undefined, clip: undefined, lane: null };
  const own = rows.clips.get(row.id) ?? [];
  const clips = clipsAt(own, at);
  const inLanes = y >= row.y + row.body;
  const channel = Math.floor((y - row.y - row.body) / laneHeight);
  const opened = inLanes ? clips.find((c) => rows.opened.has(c.id) && channel < c.channels.length) : undefined;
  const nearEdge = () => own.find((c) => Math.abs(xOf(time, c.start) - x) < near || Math.abs(xOf(time, c.start + c.length) - x) < near);
  return { at, row, clip: inLanes ? opened : (clips[0] ?? nearEdge()), lane: opened ? { clip: opened.id, channel } : null };
}

/** What dragging from a place would do. */
export function gripAt(ground: Ground, e: Modifiers, x: number, y: number): Drag | null {
  const { view, choice } = ground;
  const { at, row, clip, lane } = under(ground, x, y);
  if (!row) return bandAt(ground, e, at, y);
  const from = snapped(view, at, { ...ground.snapOf(new Set()), catches: [] });
  if (lane) return { kind: "range", from: at, to: at, first: row.id, last: row.id, lane };
  const depth = y - row.y;
  const point = pointAt(ground, row, clip, x, depth);
  if (point) return point;
  if (!clip && depth <= row.body - foot(row) && !(e.ctrlKey || e.metaKey)) return bandAt(ground, e, at, y);
  if (!clip || depth > row.body - foot(row)) return { kind: "range", from, to: from, first: row.id, last: row.id, lane: null };
  const edge = edgeAt(ground, clip, x, depth, e);
  if (edge) return edge;
  if (e.altKey) return { kind: "slip", clip, by: 0, alone: false };
  const chosen = choice.clips.includes(clip.id) ? choice.clips : [clip.id];
  return { kind: "move", clips: new Set(chosen), lead: clip, by: 0, rows: 0, copy: e.ctrlKey || e.metaKey, alone: e.shiftKey };
}

const bandAt = ({ choice }: Ground, e: Modifiers, at: number, y: number): Drag => ({
  kind: "band",
  ...{ from: at, to: at, top: y, foot: y },
  ...{ joins: e.shiftKey ? choice.clips : [], clips: [] },
});

/** The curve that is shown there, at the point under the pointer if there is one. */
function pointAt({ curves, time }: Ground, row: TrackRow, clip: Clip | undefined, x: number, depth: number): Drag | null {
  const shown = shownOf(curves);
  if (!shown || shown.of === "bus" || (shown.of !== "track" && !clip)) return null;
  const { of, what } = shown;
  const offset = of === "track" ? 0 : clip!.offset - clip!.start;
  const points = [...pointsOf(of === "track" ? row.track : clip!, what)];
  const index = points.findIndex(
    (q) => Math.abs(xOf(time, q.at - offset) - x) < near && Math.abs(yOfValue(what, q.value, row.body - 9) + 4 - depth) < near + 2,
  );
  return { kind: "point", of, id: of === "track" ? row.id : clip!.id, what, points, index, offset, row };
}

function edgeAt({ time }: Ground, clip: Clip, x: number, depth: number, e: Modifiers): Drag | null {
  const x0 = xOf(time, clip.start);
  const x1 = xOf(time, clip.start + clip.length);
  if (depth < 14 && x1 - x0 > 24) {
    const fadeIn = x0 + (clip.fadeIn?.length ?? 0) / time.perPixel;
    const fadeOut = x1 - (clip.fadeOut?.length ?? 0) / time.perPixel;
    if (Math.abs(x - Math.max(fadeIn, x0 + 5)) < near) return { kind: "fade", clip, side: "fadeIn", length: clip.fadeIn?.length ?? 0 };
    if (Math.abs(x - Math.min(fadeOut, x1 - 5)) < near) return { kind: "fade", clip, side: "fadeOut", length: clip.fadeOut?.length ?? 0 };
  }
  if (Math.abs(x - x0) < near) return { kind: "trim", clip, edge: "start", by: 0, alone: e.altKey };
  if (Math.abs(x - x1) < near) return { kind: "trim", clip, edge: "end", by: 0, alone: e.altKey };
  return null;
}

/** What a drag has become when the pointer has moved by so many samples, to a place. */
export function dragged(ground: Ground, d: Drag, by: number, { x, y, ...keys }: { x: number; y: number } & Modifiers): Drag {
  const { view, rows, time, snapOf } = ground;
  switch (d.kind) {
    case "move": {
      const row = rows.byTrack.get(d.lead.track);
      const to = rowAt(rows, y);
      const order = view.tracks.map((t) => t.id);
      const down = to?.kind === "track" && row ? order.indexOf(to.id) - order.indexOf(row.id) : 0;
      const moved = view.clips.filter((c) => d.clips.has(c.id));
      return {
        ...d,
        copy: keys.ctrlKey || keys.metaKey,
        rows: down,
        by:
          keys.shiftKey && down !== 0
            ? 0
            : snappedBy(
                view,
                moved.flatMap((c) => [c.start, c.start + c.length]),
                by,
                snapOf(d.clips),
              ),
      };
    }
    case "trim": {
      const edge = d.edge === "start" ? d.clip.start : d.clip.start + d.clip.length;
      const to = snapped(view, edge + by, snapOf(new Set([d.clip.id]), new Set())) - edge;
      const handles = Math.max(0, (d.clip.frames ?? 0) - d.clip.offset - d.clip.length);
      return {
        ...d,
        by:
          d.edge === "start"
            ? Math.max(-d.clip.offset, Math.min(to, d.clip.length - 1))
            : Math.min(handles, Math.max(to, 1 - d.clip.length)),
      };
    }
    case "slip":
      return {
        ...d,
        by: Math.max(-Math.max(0, (d.clip.frames ?? 0) - d.clip.offset - d.clip.length), Math.min(d.clip.offset, Math.round(by))),
      };
    case "fade": {
      const length = d.clip[d.side]?.length ?? 0;
      const other = d.clip[d.side === "fadeIn" ? "fadeOut" : "fadeIn"]?.length ?? 0;
      return { ...d, length: Math.max(0, Math.min(d.clip.length - other, Math.round(length + (d.side === "fadeIn" ? by : -by)))) };
    }
    case "point": {
      const original = [...d.points];
      if (d.index >= 0) original.splice(d.index, 1);
      const moved = { at: Math.round(sampleAt(time, x)) + d.offset, value: valueOfY(d.what, y - d.row.y - 4, d.row.body - 9) };
      return { ...d, points: [...original, moved].sort((a, b) => a.at - b.at), held: moved };
    }
    case "band": {
      const to = { ...d, to: sampleAt(time, x), foot: y };
      return { ...to, clips: inBand(rows, to) };
    }
    case "range":
      return {
        ...d,
        to: d.lane ? Math.round(sampleAt(time, x)) : snapped(view, sampleAt(time, x), snapOf(new Set())),
        last: rowAt(rows, y)?.id ?? d.first,
      };
  }
}

/** The clips that a band touches, by rows, and those that it joins. */
function inBand(rows: Rows, d: Extract<Drag, { kind: "band" }>): string[] {
  const [from, to] = [Math.min(d.from, d.to), Math.max(d.from, d.to)];
  const [top, foot] = [Math.min(d.top, d.foot), Math.max(d.top, d.foot)];
  const touched = rows.list
    .filter((r) => r.kind === "track" && r.y < foot && r.y + r.body > top)
    .flatMap((r) => rows.clips.get(r.id) ?? [])
    .filter((c) => c.start < to && c.start + c.length > from)
    .map((c) => c.id);
  return [...d.joins, ...touched.filter((id) => !d.joins.includes(id))];
}

/** The range that a drag has drawn, over the rows between where it began and where it is. */
export function rangeOf(rows: Rows, d: Extract<Drag, { kind: "range" }>) {
  const ids = rows.list.filter((r) => r.kind === "track").map((r) => r.id);
  const a = ids.indexOf(d.first);
  const b = Math.max(0, ids.indexOf(d.last));
  return {
    from: Math.min(d.from, d.to),
    to: Math.max(d.from, d.to),
    tracks: d.lane ? [d.first] : ids.slice(Math.min(a, b), Math.max(a, b) + 1),
  };
}

/** The points that there are by now of the curve that is taken hold of. */
export const pointsNow = (view: ReelView, d: Extract<Drag, { kind: "point" }>): Point[] =>
  pointsOf(d.of === "track" ? trackOf(view, d.id) : clipOf(view, d.id), d.what);

export const curveOf = (d: Extract<Drag, { kind: "point" }>, points: Point[]): Command => ({
  kind: "setCurve",
  command: { of: d.of, id: d.id, what: d.what, points: points.map((q) => ({ at: q.at - d.offset, value: q.value })) },
});

/** The command that a drag ends in, or null where it changes nothing or is no edit. */
export function commandOf(d: Drag): Command | null {
  switch (d.kind) {
    case "move":
      return d.by !== 0 || d.rows !== 0
        ? { kind: "moveClips", command: { clips: [...d.clips], by: d.by, rows: d.rows, alone: d.alone } }
        : null;
    case "trim":
      return d.by !== 0 ? { kind: "trimClip", command: { clip: d.clip.id, edge: d.edge, by: d.by, alone: d.alone } } : null;
    case "slip":
      return d.by !== 0 ? { kind: "slipClip", command: { clip: d.clip.id, by: d.by } } : null;
    case "fade":
      return { kind: "setClip", command: { clip: d.clip.id, [d.side]: { length: d.length, curve: d.clip[d.side]?.curve ?? "linear" } } };
    case "point":
      return curveOf(d, d.points);
    case "range":
    case "band":
      return null;
  }
}

/** What is held, by how much it has moved, and what keys would make of it. */
export function saidOf(view: ReelView, d: Drag): { what: string; keys: string } | null {
  const to = (sample: number) => labelAt(sample, view.head.sampleRate, view.head.frameRate);
  const by = (samples: number) => (samples === 0 ? "where it was" : slipSign(view, samples));
  switch (d.kind) {
    case "move": {
      const rows = d.rows === 0 ? "" : `, ${Math.abs(d.rows)} ${Math.abs(d.rows) === 1 ? "row" : "rows"} ${d.rows > 0 ? "down" : "up"}`;
      const name = d.clips.size > 1 ? `${d.clips.size} clips` : d.lead.name;
      const keys = [d.copy ? "" : "Ctrl copies", d.rows === 0 ? "" : "Shift keeps the time"];
      return {
        what: `${d.copy ? "Copy of " : ""}${name}: ${by(d.by)}${rows}, to ${to(d.lead.start + d.by)}`,
        keys: keys.filter(Boolean).join(" · "),
      };
    }
    case "trim": {
      const edge = d.edge === "start" ? d.clip.start : d.clip.start + d.clip.length;
      return { what: `${d.edge === "start" ? "Start" : "End"} of ${d.clip.name}: ${by(d.by)}, to ${to(edge + d.by)}`, keys: "" };
    }
    case "slip":
      return { what: `Sound in ${d.clip.name}: ${by(d.by)}`, keys: "" };
    case "fade":
      return { what: `${d.side === "fadeIn" ? "Fade in" : "Fade out"}: ${slipSign(view, d.length).replace(/^[+−]/, "")}`, keys: "" };
    case "band":
      return {
        what: d.clips.length === 0 ? "No clip yet" : d.clips.length === 1 ? "1 clip" : `${d.clips.length} clips`,
        keys: d.joins.length > 0 ? "" : "with Shift they join those chosen · with Ctrl a range is drawn",
      };
    case "range":
      return d.from === d.to ? null : { what: `${to(Math.min(d.from, d.to))} to ${to(Math.max(d.from, d.to))}`, keys: "" };
    case "point":
      if (!d.held) return null;
      return {
        what: `${Math.round(d.held.value * 100) / 100} ${scaleOf(d.what).unit} at ${to(d.held.at - d.offset)}`.replace("  ", " "),
        keys: "",
      };
  }
}

/** How clips look while something is dragged: as they will once it is let go of. */
export function previewOf(view: ReelView, d: Drag | null): Preview | null {
  if (!d || d.kind === "range" || d.kind === "band" || (d.kind === "point" && d.of === "track")) return null;
  if (d.kind === "point") return (c) => (c.id === d.id ? { [d.what]: d.points } : undefined);
  const command = commandOf(d.kind === "move" && d.copy ? { ...d, alone: true } : d); // a copy has none tied to it
  if (!command) return null;
  const laid = clipsAfter(view, command);
  return (c) => laid.get(c.id);
}
