import { useEffect, useLayoutEffect, useMemo, useRef, useState, type RefObject } from "react";

import type { Clip, Point, ReelView, Command } from "../../api/client";
import { fit } from "../../draw/canvas";
import { onOverview } from "../../draw/overview";
import { player, usePlayer } from "../../listen/player";
import { useLight } from "../../ui/light";
import { clipsAt, pieceAt, type Choice } from "./choice";
import { pointsOf, shownOf, valueOfY, yOfValue, type CurveView, type Parameter } from "./curves";
import type { BandRow } from "./band";
import { rulerHeight, sampleAt, stemHeight, xOf, zoom, type TimeView } from "./geometry";
import { paintRows, paintRuler, paintBand, type Preview, type TakeWidths } from "./paint";
import { laneHeight, rowAt, type Rows, type TrackRow } from "./rows";
import { Scroll, useScroll } from "./scroll";
import { catches, onFrame, snapped, snappedBy } from "./snap";

/** Where the shuttle is: where the reel plays, or where it stands. */
export function positionOf(reel: string, at: number): number {
  const s = player.snapshot();
  return s.playing?.what === "reel" && s.playing.id === reel ? s.position : at;
}

export function usePosition(reel: string, at: number): number {
  return usePlayer(() => positionOf(reel, at));
}

/** The shuttle's line across the rows. It alone is drawn again while playing. */
function ShuttleLine({ view, time, at }: { view: ReelView; time: TimeView; at: number }) {
  const x = xOf(time, usePosition(view.id, at));
  return <span className="pointer-events-none absolute inset-y-0 left-0 w-[2px] bg-zest" style={{ transform: `translateX(${x - 1}px)` }} aria-hidden />;
}

function ShuttleMark({ view, time, at }: { view: ReelView; time: TimeView; at: number }) {
  const x = xOf(time, usePosition(view.id, at));
  return (
    <svg className="pointer-events-none absolute bottom-0 left-0" style={{ transform: `translateX(${x - 7}px)` }} width={14} height={14} aria-hidden>
      <path d="M7 14 L1 6 L7 0 L13 6 Z" fill="var(--zest)" />
    </svg>
  );
}

/** Paints a canvas with every change of what it shows, and again, at most once a frame, when waveforms have come, its size
 * has changed, or the scroller that it is pinned in was moved. */
function useCanvas(paint: (c: HTMLCanvasElement) => void, again: unknown[], scroller?: RefObject<HTMLElement | null>) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const light = useLight();
  const latest = useRef(paint);
  latest.current = paint;
  // At once, so that it never lags behind the shuttle's line.
  useLayoutEffect(() => paint(canvas.current!), [...again, light]); // eslint-disable-line react-hooks/exhaustive-deps
  useEffect(() => {
    let due = 0;
    const run = () => {
      cancelAnimationFrame(due);
      due = requestAnimationFrame(() => canvas.current && latest.current(canvas.current));
    };
    const observer = new ResizeObserver(run);
    observer.observe(canvas.current!);
    const stop = onOverview(run);
    const box = scroller?.current;
    box?.addEventListener("scroll", run, { passive: true });
    return () => {
      cancelAnimationFrame(due);
      observer.disconnect();
      stop();
      box?.removeEventListener("scroll", run);
    };
  }, [scroller]);
  return canvas;
}

/** Zooms with the wheel and Ctrl, scrolls in time with Shift or sideways. */
function useWheel(scroll: Scroll) {
  const box = useRef<HTMLDivElement>(null);
  useEffect(() => {
    const el = box.current!;
    const wheel = (e: WheelEvent) => {
      const x = e.clientX - el.getBoundingClientRect().left;
      if (e.ctrlKey || e.metaKey) {
        e.preventDefault();
        scroll.change((v) => zoom(v, Math.exp(Math.max(-60, Math.min(60, e.deltaY)) * 0.006), x));
        return;
      }
      const by = e.shiftKey ? e.deltaY || e.deltaX : e.deltaX;
      if (Math.abs(by) > 0 && (e.shiftKey || Math.abs(e.deltaX) > Math.abs(e.deltaY))) {
        e.preventDefault();
        scroll.change((v) => ({ ...v, left: v.left + by * v.perPixel }));
      }
    };
    el.addEventListener("wheel", wheel, { passive: false });
    return () => el.removeEventListener("wheel", wheel);
  }, [scroll]);
  return box;
}

/** The ruler above the tracks; pressing or dragging on it moves the shuttle, and is heard while dragging. Shift drags a range. */
export function Ruler(p: { view: ReelView; scroll: Scroll; at: number; range: { from: number; to: number } | null; loop: boolean; onGo: (sample: number) => void; onScrub: (sample: number) => void; onRange: (from: number, to: number) => void; onMark: (id: string) => void }) {
  const time = useScroll(p.scroll);
  const canvas = useCanvas(
    (c) => {
      const s = fit(c);
      if (s) paintRuler(s.g, s.width, s.height, { ...p, time });
    },
    [p.view.head, p.view.marks, time, p.range, p.loop],
  );
  const box = useWheel(p.scroll);
  const from = useRef<number | null>(null);
  const place = (e: React.PointerEvent) => onFrame(p.view, sampleAt(time, e.clientX - e.currentTarget.getBoundingClientRect().left));
  return (
    <div
      ref={box}
      className="relative h-full w-full cursor-pointer touch-none overflow-hidden"
      style={{ height: rulerHeight }}
      role="slider"
      aria-label="Ruler"
      aria-valuetext="Press to move the shuttle, Shift and drag for a range"
      aria-valuenow={Math.round(p.at)}
      tabIndex={-1}
      onPointerDown={(e) => {
        e.currentTarget.setPointerCapture(e.pointerId);
        const box = e.currentTarget.getBoundingClientRect();
        const x = e.clientX - box.left;
        const mark = e.clientY - box.top < 22 ? p.view.marks.findLast((m) => x >= xOf(time, m.at) - 2 && x < xOf(time, m.at) + 60) : undefined;
        if (mark) p.onMark(mark.id);
        from.current = e.shiftKey ? place(e) : null;
        if (!e.shiftKey) p.onGo(mark ? mark.at : place(e));
      }}
      onPointerMove={(e) => {
        if (e.buttons !== 1) return;
        const at = place(e);
        if (from.current !== null) p.onRange(Math.min(from.current, at), Math.max(from.current, at));
        else p.onScrub(at);
      }}
    >
      <canvas ref={canvas} className="h-full w-full" />
      <ShuttleMark view={p.view} time={time} at={p.at} />
    </div>
  );
}

/** The band in time, below the tracks. */
export function BandTime(p: { view: ReelView; band: BandRow[]; scroll: Scroll; takes: TakeWidths; rows: Rows; at: number; onGo: (sample: number) => void }) {
  const time = useScroll(p.scroll);
  const canvas = useCanvas(
    (c) => {
      const s = fit(c);
      if (s) paintBand(s.g, s.width, { ...p, time });
    },
    [p.view, p.band, time, p.takes, p.rows],
  );
  const box = useWheel(p.scroll);
  return (
    <div ref={box} className="relative w-full overflow-hidden" style={{ height: p.band.length * stemHeight }} onPointerDown={(e) => p.onGo(onFrame(p.view, sampleAt(time, e.clientX - e.currentTarget.getBoundingClientRect().left)))}>
      <canvas ref={canvas} className="absolute inset-0 h-full w-full" />
      <ShuttleLine view={p.view} time={time} at={p.at} />
    </div>
  );
}

/** How far a press may wander before it counts as a drag, and how near an edge or handle must be, in pixels. */
const slack = 4;
const near = 6;
/** How long a press must rest before it listens, in milliseconds. */
const rest = 350;
/** The foot of a row, where dragging chooses a range, in pixels. */
const foot = 10;

type Drag =
  | { kind: "move"; clips: Set<string>; lead: Clip; by: number; rows: number; copy: boolean; alone: boolean }
  | { kind: "trim"; clip: Clip; edge: "start" | "end"; by: number; alone: boolean }
  | { kind: "slip"; clip: Clip; by: number; alone: boolean }
  | { kind: "fade"; clip: Clip; side: "fadeIn" | "fadeOut"; length: number }
  | { kind: "point"; of: "clip" | "track"; id: string; what: Parameter; points: Point[]; index: number; offset: number; row: TrackRow }
  | { kind: "range"; from: number; to: number; first: string; lane: Choice["lane"] };

type Press = { x: number; y: number; drag: Drag | null; moving: boolean; listening: boolean; timer: number };

export type TimeProps = {
  view: ReelView;
  scroll: Scroll;
  takes: TakeWidths;
  rows: Rows;
  choice: Choice;
  curves: CurveView;
  snap: boolean;
  at: number; // where the shuttle stands while nothing plays
  scroller: RefObject<HTMLDivElement | null>;
  onGo: (sample: number) => void;
  onChoose: (c: Choice) => void;
  onOpen: (clip: string) => void;
  onDo: (c: Command) => void;
  onCopyTo: (clips: string[], by: number, rows: number) => void;
  onListen: (clip: string, channel: number, from: number) => void;
  onQuiet: () => void;
};

/** Tracks in time: clips are chosen, moved, trimmed, slipped, faded; channels and ranges are chosen; curves are drawn. */
export function TimeArea(p: TimeProps) {
  const { view, rows, choice } = p;
  const time = useScroll(p.scroll);
  const [drag, setDrag] = useState<Drag | null>(null);
  const press = useRef<Press | null>(null);
  const preview = useMemo(() => previewOf(view, drag), [view, drag]);
  const drawn = drag?.kind === "point" && drag.of === "track" ? { id: drag.id, points: drag.points } : null;
  const scene = { view, time, takes: p.takes, rows, choice, preview, curves: p.curves, drawn };
  const canvas = useCanvas(
    (c) => {
      const s = fit(c);
      if (s) paintRows(s.g, s.width, s.height, p.scroller.current?.scrollTop ?? 0, scene);
    },
    [view, time, p.takes, rows, choice, preview, p.curves, drawn],
    p.scroller,
  );
  const box = useWheel(p.scroll);
  const snapOf = (without: ReadonlySet<string>) => ({ on: p.snap, catches: catches(view, positionOf(view.id, p.at), without), perPixel: time.perPixel });
  const shown = shownOf(p.curves);

  /** What lies under the pointer. */
  const under = (x: number, y: number) => {
    const at = sampleAt(time, x);
    const row = rowAt(rows, y);
    if (!row || row.kind === "folder") return { at, row: undefined, clip: undefined, lane: null };
    const clips = clipsAt(rows.clips.get(row.id) ?? [], at);
    const inLanes = y >= row.y + row.body;
    const channel = Math.floor((y - row.y - row.body) / laneHeight);
    const opened = inLanes ? clips.find((c) => rows.opened.has(c.id) && channel < c.channels.length) : undefined;
    return { at, row, clip: inLanes ? opened : (clips[0] ?? nearEdge(row, x)), lane: opened ? { clip: opened.id, channel } : null };
  };
  const nearEdge = (row: TrackRow, x: number) => (rows.clips.get(row.id) ?? []).find((c) => Math.abs(xOf(time, c.start) - x) < near || Math.abs(xOf(time, c.start + c.length) - x) < near);

  /** What dragging from a place would do. */
  const grip = (e: { altKey: boolean; ctrlKey: boolean; metaKey: boolean; shiftKey: boolean }, x: number, y: number): Drag | null => {
    const { at, row, clip, lane } = under(x, y);
    if (!row) return null;
    const from = snapped(view, at, { ...snapOf(new Set()), catches: [] });
    if (lane) return { kind: "range", from: at, to: at, first: row.id, lane };
    const depth = y - row.y;
    if (shown && (shown.of === "track" || clip)) {
      const { of, what } = shown;
      const id = of === "track" ? row.id : clip!.id;
      const offset = of === "track" ? 0 : clip!.offset - clip!.start;
      const points = [...pointsOf(of === "track" ? row.track : clip!, what)];
      const index = points.findIndex((q) => Math.abs(xOf(time, q.at - offset) - x) < near && Math.abs(yOfValue(what, q.value, row.body - 9) + 4 - depth) < near + 2);
      return { kind: "point", of, id, what, points, index, offset, row };
    }
    if (!clip || depth > row.body - foot) return { kind: "range", from, to: from, first: row.id, lane: null };
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
    if (e.altKey) return { kind: "slip", clip, by: 0, alone: false };
    const chosen = choice.clips.includes(clip.id) ? choice.clips : [clip.id];
    return { kind: "move", clips: new Set(chosen), lead: clip, by: 0, rows: 0, copy: e.ctrlKey || e.metaKey, alone: e.shiftKey };
  };

  const local = (e: React.PointerEvent) => {
    const r = e.currentTarget.getBoundingClientRect();
    return { x: e.clientX - r.left, y: e.clientY - r.top };
  };

  const down = (e: React.PointerEvent) => {
    if (e.button !== 0) return;
    const { x, y } = local(e);
    e.currentTarget.setPointerCapture(e.pointerId);
    const { at, row, clip, lane } = under(x, y);
    const g = grip(e, x, y);
    const now: Press = { x, y, drag: g, moving: false, listening: false, timer: 0 };
    press.current = now;
    if (clip && row) {
      // A press that rests listens to what it rests on, alone and from there.
      now.timer = window.setTimeout(() => {
        if (press.current === now && !now.moving) {
          now.listening = true;
          p.onListen(clip.id, lane ? lane.channel : -1, Math.round(at));
        }
      }, rest);
    }
    if (lane) p.onChoose({ track: row!.id, clips: [lane.clip], lane, range: null });
    else if (clip && row) {
      const clips = e.shiftKey || e.ctrlKey || e.metaKey ? (choice.clips.includes(clip.id) ? choice.clips : [...choice.clips, clip.id]) : choice.clips.includes(clip.id) ? choice.clips : [clip.id];
      p.onChoose({ track: row.id, clips, lane: null, range: null });
    } else if (row) p.onChoose({ track: row.id, clips: [], lane: null, range: null });
  };

  const move = (e: React.PointerEvent) => {
    const now = press.current;
    const { x, y } = local(e);
    if (!now) {
      e.currentTarget.setAttribute("data-grip", grip(e, x, y)?.kind ?? "");
      return;
    }
    if (!now.drag || now.listening) return;
    if (!now.moving && Math.hypot(x - now.x, y - now.y) < slack) return;
    now.moving = true;
    clearTimeout(now.timer);
    const by = (x - now.x) * time.perPixel;
    setDrag(dragged(now.drag, by, x, y, e.shiftKey));
  };

  const dragged = (d: Drag, by: number, x: number, y: number, shift: boolean): Drag => {
    switch (d.kind) {
      case "move": {
        const row = rows.byTrack.get(d.lead.track);
        const to = rowAt(rows, y);
        const order = view.tracks.map((t) => t.id);
        const down = to?.kind === "track" && row ? order.indexOf(to.id) - order.indexOf(row.id) : 0;
        const moved = view.clips.filter((c) => d.clips.has(c.id));
        return { ...d, rows: down, by: shift && down !== 0 ? 0 : snappedBy(view, moved.flatMap((c) => [c.start, c.start + c.length]), by, snapOf(d.clips)) };
      }
      case "trim": {
        const edge = d.edge === "start" ? d.clip.start : d.clip.start + d.clip.length;
        const to = snapped(view, edge + by, snapOf(new Set([d.clip.id]))) - edge;
        const handles = Math.max(0, (d.clip.frames ?? 0) - d.clip.offset - d.clip.length);
        return { ...d, by: d.edge === "start" ? Math.max(-d.clip.offset, Math.min(to, d.clip.length - 1)) : Math.min(handles, Math.max(to, 1 - d.clip.length)) };
      }
      case "slip":
        return { ...d, by: Math.max(-Math.max(0, (d.clip.frames ?? 0) - d.clip.offset - d.clip.length), Math.min(d.clip.offset, Math.round(by))) };
      case "fade": {
        const began = d.clip[d.side]?.length ?? 0;
        const other = d.clip[d.side === "fadeIn" ? "fadeOut" : "fadeIn"]?.length ?? 0;
        return { ...d, length: Math.max(0, Math.min(d.clip.length - other, Math.round(began + (d.side === "fadeIn" ? by : -by)))) };
      }
      case "point": {
        const points = [...d.points];
        const at = Math.round(sampleAt(time, x)) + d.offset;
        const value = valueOfY(d.what, y - d.row.y - 4, d.row.body - 9);
        const base = press.current!.drag as typeof d;
        const original = [...base.points];
        if (base.index >= 0) original.splice(base.index, 1);
        points.splice(0, points.length, ...original, { at, value });
        points.sort((a, b) => a.at - b.at);
        return { ...d, points };
      }
      case "range":
        return { ...d, to: d.lane ? Math.round(sampleAt(time, x)) : snapped(view, sampleAt(time, x), snapOf(new Set())), first: d.first, ...spanned(d.first, y) };
    }
  };
  const spanned = (first: string, y: number) => ({ last: rowAt(rows, y)?.id ?? first });

  /** The range that a drag has drawn, over the rows between where it began and where it is. */
  const rangeOf = (d: Extract<Drag, { kind: "range" }> & { last?: string }) => {
    const ids = rows.list.filter((r) => r.kind === "track").map((r) => r.id);
    const a = ids.indexOf(d.first);
    const b = Math.max(0, ids.indexOf(d.last ?? d.first));
    return { from: Math.min(d.from, d.to), to: Math.max(d.from, d.to), tracks: d.lane ? [d.first] : ids.slice(Math.min(a, b), Math.max(a, b) + 1) };
  };
  useEffect(() => {
    if (drag?.kind === "range") {
      const range = rangeOf(drag);
      p.onChoose({ track: drag.first, clips: drag.lane ? [drag.lane.clip] : [], lane: drag.lane, range });
    }
  }, [drag]); // eslint-disable-line react-hooks/exhaustive-deps

  const up = (e: React.PointerEvent) => {
    const now = press.current;
    press.current = null;
    setDrag(null);
    if (!now) return;
    clearTimeout(now.timer);
    if (now.listening) {
      p.onQuiet();
      return;
    }
    const { x, y } = local(e);
    if (now.moving && drag) finish(drag);
    else if (!now.moving) pressed(e, x, y, now.drag);
  };

  const finish = (d: Drag) => {
    switch (d.kind) {
      case "move":
        if (d.copy) p.onCopyTo([...d.clips], d.by, d.rows);
        else if (d.by !== 0 || d.rows !== 0) p.onDo({ kind: "moveClips", command: { clips: [...d.clips], by: d.by, rows: d.rows, alone: d.alone } });
        return;
      case "trim":
        if (d.by !== 0) p.onDo({ kind: "trimClip", command: { clip: d.clip.id, edge: d.edge, by: d.by, alone: d.alone } });
        return;
      case "slip":
        if (d.by !== 0) p.onDo({ kind: "slipClip", command: { clip: d.clip.id, by: d.by } });
        return;
      case "fade":
        p.onDo({ kind: "setClip", command: { clip: d.clip.id, [d.side]: { length: d.length, curve: d.clip[d.side]?.curve ?? "linear" } } });
        return;
      case "point":
        p.onDo(curveOf(d, d.points));
    }
  };
  const curveOf = (d: Extract<Drag, { kind: "point" }>, points: Point[]): Command => ({ kind: "setCurve", command: { of: d.of, id: d.id, what: d.what, points: points.map((q) => ({ at: q.at - d.offset, value: q.value })) } });

  /** A press that did not move: it chooses, puts the shuttle, or sets and takes away a point of a curve. */
  const pressed = (e: React.PointerEvent, x: number, y: number, g: Drag | null) => {
    const { at, row, clip, lane } = under(x, y);
    if (g?.kind === "point" && row) {
      if (g.index >= 0 && e.altKey) p.onDo(curveOf(g, g.points.filter((_, i) => i !== g.index)));
      else if (g.index < 0) p.onDo(curveOf(g, [...g.points, { at: Math.round(at) + g.offset, value: valueOfY(g.what, y - row.y - 4, row.body - 9) }].sort((a, b) => a.at - b.at)));
      return;
    }
    if (lane && row && clip && (clip.lanes?.[lane.channel]?.cuts?.length ?? 0) > 0) {
      const piece = pieceAt(clip, lane.channel, at); // a piece between cuts is chosen whole
      p.onChoose({ track: row.id, clips: [clip.id], lane, range: { ...piece, tracks: [row.id] } });
    }
    if (clip && row && !lane && choice.clips.includes(clip.id) && choice.clips.length > 1 && !e.shiftKey && !e.ctrlKey && !e.metaKey) p.onChoose({ track: row.id, clips: [clip.id], lane: null, range: null });
    p.onGo(onFrame(view, at));
  };

  const cancel = () => {
    if (press.current) clearTimeout(press.current.timer);
    if (press.current?.listening) p.onQuiet();
    press.current = null;
    setDrag(null);
  };
  useEffect(() => {
    const escape = (e: KeyboardEvent) => e.key === "Escape" && press.current && cancel();
    window.addEventListener("keydown", escape);
    return () => window.removeEventListener("keydown", escape);
  });

  return (
    <div
      ref={box}
      className="time-area relative w-full shrink-0 grow touch-none select-none"
      style={{ minHeight: rows.height }}
      aria-label="Clips"
      onPointerDown={down}
      onPointerMove={move}
      onPointerUp={up}
      onPointerCancel={cancel}
      onDoubleClick={(e) => {
        const r = e.currentTarget.getBoundingClientRect();
        const { clip, lane } = under(e.clientX - r.left, e.clientY - r.top);
        if (clip && !lane && p.curves === "none") p.onOpen(clip.id);
      }}
    >
      <Pinned scroller={p.scroller}>
        <canvas ref={canvas} className="absolute inset-0 h-full w-full" />
        <ShuttleLine view={view} time={time} at={p.at} />
      </Pinned>
    </div>
  );
}

/** Stays in view while what it lies in is scrolled, as high as the view: a canvas of all rows would be too large. */
function Pinned({ scroller, children }: { scroller: RefObject<HTMLDivElement | null>; children: React.ReactNode }) {
  const [height, setHeight] = useState(0);
  useEffect(() => {
    const measure = () => setHeight(scroller.current?.clientHeight ?? 0);
    measure();
    const o = new ResizeObserver(measure);
    o.observe(scroller.current!);
    return () => o.disconnect();
  }, [scroller]);
  return (
    <div className="pointer-events-none sticky top-0 w-full overflow-hidden" style={{ height }}>
      {children}
    </div>
  );
}

/** How clips look while something is dragged: those tied to what is dragged go along. */
function previewOf(view: ReelView, d: Drag | null): Preview | null {
  if (!d || d.kind === "range" || (d.kind === "point" && d.of === "track")) return null;
  if (d.kind === "point") return (c) => (c.id === d.id ? { [d.what]: d.points } : undefined);
  if (d.kind === "fade") return (c) => (c.id === d.clip.id ? { [d.side]: { length: d.length, curve: c[d.side]?.curve } } : undefined);
  if (d.kind === "trim") {
    const end = d.clip.start + d.clip.length;
    return (c) => {
      const along = c.id === d.clip.id || (!d.alone && d.clip.tie !== "" && c.tie === d.clip.tie && (d.edge === "start" ? c.start === d.clip.start : c.start + c.length === end));
      if (!along) return undefined;
      return d.edge === "start" ? { start: c.start + d.by, offset: c.offset + d.by, length: c.length - d.by } : { length: c.length + d.by };
    };
  }
  if (d.kind === "slip") return (c) => (c.id === d.clip.id || (c.tie !== "" && c.tie === d.clip.tie) ? { offset: c.offset - d.by } : undefined);
  const ties = new Set(d.alone || d.copy || d.by === 0 ? [] : view.clips.filter((c) => d.clips.has(c.id) && c.tie !== "").map((c) => c.tie));
  return (c) => {
    if (!d.clips.has(c.id) && !ties.has(c.tie)) return undefined;
    const order = view.tracks.map((t) => t.id);
    const track = d.clips.has(c.id) ? (order[order.indexOf(c.track) + d.rows] ?? c.track) : c.track;
    return { start: c.start + d.by, track };
  };
}
