import { useMemo, useRef, useState, type Dispatch, type PointerEvent, type RefObject, type SetStateAction } from "react";

import type { ReelView } from "../../../api/client";
import type { Wanted } from "../../../api/hooks";
import { fit, topOf } from "../../../draw/canvas";
import { useCanvas } from "../../../draw/usecanvas";
import { pieceAt, type Choice } from "../ground/choice";
import { valueOfY, type CurveView } from "../ground/curves";
import { usePress, type At, type Edges, type Grip } from "../../../ui/press";
import { commandOf, curveOf, dragged, gripAt, pointsNow, previewOf, rangeOf, saidOf, under, type Drag, type Ground } from "./grips";
import type { Painted } from "./dirty";
import { paintRows, type TakeWidths } from "./paint";
import { Pinned } from "../ground/pinned";
import { sampleAt, xOf, type TimeView } from "../ground/geometry";
import { clipOf } from "../ground/lookup";
import type { Rows } from "../ground/rows";
import { useScroll, type Scroll } from "../ground/scroll";
import { positionOf, ShuttleLine } from "../ground/shuttleline";
import { crossingOf } from "../ground/crossing";
import { catches, onsetsOf, putAt, type Snaps } from "../ground/snap";
import { heightsOf } from "./sounding";
import { useLoom } from "../ground/state";
import { useTaken } from "./taken";
import { useWheel } from "../ground/wheel";

export type TimeProps = {
  view: ReelView;
  revision: number; // of chains, where one is open
  scroll: Scroll;
  takes: TakeWidths;
  rows: Rows;
  choice: Choice;
  curves: CurveView;
  snap: boolean;
  snaps: Snaps;
  at: number; // where the shuttle stands while nothing plays
  scroller: RefObject<HTMLDivElement | null>;
  onGo: (sample: number) => void;
  onChoose: (c: Choice) => void;
  onOpen: (clip: string) => void;
  onDo: (c: Wanted) => Promise<unknown>;
  onCopyTo: (clips: string[], by: number, rows: number) => Promise<unknown>;
  onListen: (clip: string, channel: number, from: number) => void;
  onQuiet: () => void;
};

/** No screen is wider, in pixels. */
const widest = 4000;

/** Tracks in time: clips are chosen, moved, trimmed, slipped, faded; channels and ranges are chosen; curves are drawn. */
export function TimeArea(p: TimeProps) {
  const { view, rows, choice } = p;
  const time = useScroll(p.scroll);
  const [drag, setDrag] = useState<Drag | null>(null);
  const waves = useLoom((s) => s.waves);
  const preview = useMemo(() => previewOf(view, drag), [view, drag]);
  const drawn = drag?.kind === "point" && drag.of === "track" ? { id: drag.id, points: drag.points } : null;
  const taken = useTaken(view, time, p.revision);
  const painted = useRef<Painted | null>(null);
  const canvas = useCanvas(
    (c) => {
      const s = fit(c, true);
      if (s)
        painted.current = paintRows(
          s.g,
          s.width,
          s.height,
          topOf(p.scroller.current),
          {
            view,
            time,
            takes: p.takes,
            rows,
            choice,
            preview,
            curves: p.curves,
            drawn,
            taken,
            heights: heightsOf(waves),
            waves,
            onsets: p.snap && p.snaps.onsets,
          },
          painted.current,
        );
    },
    [view, time, p.takes, rows, choice, preview, p.curves, drawn, taken, waves, p.snap && p.snaps.onsets],
    p.scroller,
  );
  const box = useWheel(p.scroll);
  const onsets = (without: ReadonlySet<string>) => () =>
    onsetsOf(
      view.clips.filter((c) => !without.has(c.id)),
      time.left,
      sampleAt(time, widest),
      time.perPixel,
    );
  const snapOf = (without: ReadonlySet<string>, unheard = without) => ({
    on: p.snap,
    frames: p.snaps.frames,
    catches: catches(view, positionOf(view.id, p.at), without, p.snaps, onsets(unheard)),
    perPixel: time.perPixel,
  });
  const ground: Ground = { view, time, rows, choice, curves: p.curves, snapOf };
  const hands = useHands(p, ground, setDrag);
  return (
    <div
      ref={box}
      className="time-area relative w-full shrink-0 grow touch-none select-none"
      style={{ minHeight: rows.height }}
      role="application"
      aria-label="Clips"
      data-left={time.left}
      data-per-pixel={time.perPixel}
      {...hands}
    >
      <Pinned scroller={p.scroller}>
        <canvas ref={canvas} className="absolute inset-0 h-full w-full" aria-hidden />
        <ShuttleLine view={view} time={time} at={p.at} />
        {drag && <Said view={view} drag={drag} />}
      </Pinned>
      {drag?.kind === "band" && <Band time={time} drag={drag} />}
    </div>
  );
}

/** The band that takes clips, while it is drawn. */
function Band({ time, drag: d }: { time: TimeView; drag: Extract<Drag, { kind: "band" }> }) {
  const [left, right] = [xOf(time, Math.min(d.from, d.to)), xOf(time, Math.max(d.from, d.to))];
  const style = { left, width: right - left, top: Math.min(d.top, d.foot), height: Math.abs(d.foot - d.top) };
  return <div className="pointer-events-none absolute rounded-sm border border-zest bg-zest/10" style={style} aria-hidden />;
}

/** What is chosen once a band has taken clips: they, and the track of the first. */
function inBandChosen({ view, choice }: Ground, clips: string[]): Choice {
  const first = clips[0] === undefined ? undefined : clipOf(view, clips[0]);
  return { track: first?.track ?? choice.track, clips, lane: null, range: null };
}

/** Says what is held while it is. */
function Said({ view, drag }: { view: ReelView; drag: Drag }) {
  const said = saidOf(view, drag);
  return (
    said && (
      <p className="card absolute bottom-2 left-2 max-w-[calc(100%-1rem)] truncate px-2.5 py-1 text-[12px]" aria-hidden>
        <b className="tc font-semibold">{said.what}</b>
        {said.keys && <span className="text-muted"> · {said.keys}</span>}
      </p>
    )
  );
}

/** What the pointer does on the tracks: a press chooses, one that rests listens, one that moves drags. */
function useHands(p: TimeProps, ground: Ground, setDrag: Dispatch<SetStateAction<Drag | null>>) {
  const latest = useRef({ p, ground }); // as it is when the hand lets go, not when it took hold
  latest.current = { p, ground };
  const box = useRef<Element | null>(null);

  const begin = (from: At, e: PointerEvent): Grip => {
    box.current = e.currentTarget;
    const { at, row, clip, lane } = under(ground, from.x, from.y);
    const began = gripAt(ground, from, from.x, from.y);
    if (lane) p.onChoose({ track: row!.id, clips: [lane.clip], lane, range: null });
    else if (row || began?.kind === "band")
      p.onChoose({
        track: row?.id ?? "",
        clips: clip
          ? withClip(ground.choice, clip.id, from.shiftKey || from.ctrlKey || from.metaKey)
          : began?.kind === "band"
            ? began.joins
            : [],
        lane: null,
        range: null,
      });
    const become = (to: At) => {
      const now = latest.current.ground;
      return dragged(now, began!, sampleAt(now.time, to.x) - at, to);
    };
    const choose = (d: Drag) => {
      if (d.kind === "band") latest.current.p.onChoose(inBandChosen(latest.current.ground, d.clips));
      if (d.kind !== "range") return;
      latest.current.p.onChoose({
        track: d.first,
        clips: d.lane ? [d.lane.clip] : [],
        lane: d.lane,
        range: rangeOf(latest.current.ground.rows, d),
      });
    };
    return {
      ...(began && {
        drag: (to) => {
          const d = become(to);
          setDrag(d);
          choose(d);
        },
        drop: (to) => {
          const d = become(to);
          setDrag(d);
          choose(d);
          const made = finish(latest.current.p, d);
          void Promise.resolve(made).finally(() => setDrag((now) => (now === d ? null : now))); // when the reel has it, not before
        },
        edges: edgesOf(latest, box, ["move", "range", "band"].includes(began.kind)),
      }),
      tap: (to) => pressed(latest.current.p, latest.current.ground, to, began),
      rest:
        clip && row
          ? () => {
              latest.current.p.onListen(clip.id, lane ? lane.channel : -1, Math.round(at));
              return () => latest.current.p.onQuiet();
            }
          : undefined,
      cancel: () => setDrag(null),
    };
  };
  const press = usePress(begin, (at, e) => {
    if (at) e.currentTarget.setAttribute("data-grip", gripAt(latest.current.ground, at, at.x, at.y)?.kind ?? "");
  });
  const open = (e: React.MouseEvent) => {
    const r = e.currentTarget.getBoundingClientRect();
    const { clip, lane } = under(ground, e.clientX - r.left, e.clientY - r.top);
    if (clip && !lane && p.curves === "none") p.onOpen(clip.id);
  };
  return { ...press, onDoubleClick: open };
}

/** Scrolls time, and rows where what is dragged goes from row to row. */
const edgesOf = (latest: RefObject<{ p: TimeProps }>, box: RefObject<Element | null>, rows: boolean): Edges => ({
  room: () => {
    const across = box.current!.getBoundingClientRect();
    const down = latest.current.p.scroller.current!.getBoundingClientRect();
    return { left: across.left, right: across.right, top: down.top, bottom: down.bottom };
  },
  scroll: (x, y) => {
    const { scroll, scroller } = latest.current.p;
    if (x !== 0) scroll.change((v) => ({ ...v, left: v.left + x * v.perPixel }));
    if (rows && y !== 0) scroller.current!.scrollTop += y;
  },
});

async function finish(p: TimeProps, d: Drag) {
  const near = p.snap && p.snaps.crossings ? crossingOf(p.view.id) : null;
  if (near && d.kind === "trim" && d.by !== 0) {
    const edge = d.edge === "start" ? d.clip.start : d.clip.start + d.clip.length;
    const there = commandOf({ ...d, by: (await near([d.clip.id], edge + d.by)) - edge });
    return there ? p.onDo(there) : undefined; // it may cross zero nowhere nearer than where the edge is
  }
  if (near && d.kind === "range" && !d.lane) {
    const r = rangeOf(p.rows, d);
    const clips = p.view.clips.filter((c) => r.tracks.includes(c.track)).map((c) => c.id);
    if (clips.length === 0) return; // of no clips the server would ask all
    const [from, to] = await Promise.all([near(clips, r.from), near(clips, r.to)]);
    p.onChoose({ track: d.first, clips: [], lane: null, range: { ...r, from, to: Math.max(from, to) } });
  }
  if (d.kind === "move" && d.copy) return p.onCopyTo([...d.clips], d.by, d.rows);
  const command = commandOf(d);
  return command ? p.onDo(command) : undefined;
}

/** A press that did not move: it chooses, puts the shuttle, or sets and takes away a point of a curve. */
function pressed(p: TimeProps, ground: Ground, to: At, g: Drag | null) {
  const { view, choice } = ground;
  const { at, row, clip, lane } = under(ground, to.x, to.y);
  if (g?.kind === "point" && row) {
    const others = g.points.filter((_, i) => i !== g.index);
    const point = { at: Math.round(at) + g.offset, value: valueOfY(g.what, to.y - row.y - 4, row.body - 9) };
    if (g.index >= 0 && to.altKey) void p.onDo(curveOf(g, others));
    else if (g.index < 0)
      void p.onDo((now) =>
        curveOf(
          g,
          [...pointsNow(now, g), point].sort((a, b) => a.at - b.at),
        ),
      );
    return;
  }
  if (lane && row && clip && (clip.lanes?.[lane.channel]?.cuts?.length ?? 0) > 0) {
    const piece = pieceAt(clip, lane.channel, at); // a piece between cuts is chosen whole
    p.onChoose({ track: row.id, clips: [clip.id], lane, range: { ...piece, tracks: [row.id] } });
  }
  const joins = to.shiftKey || to.ctrlKey || to.metaKey;
  if (clip && row && !lane && choice.clips.includes(clip.id) && choice.clips.length > 1 && !joins)
    p.onChoose({ track: row.id, clips: [clip.id], lane: null, range: null });
  p.onGo(putAt(view, at, p.snap && p.snaps.frames));
}

/** The clips that are chosen once one of them is pressed: it joins the others, or stays among them, or is the only one. */
function withClip(choice: Choice, clip: string, joins: boolean): string[] {
  if (choice.clips.includes(clip)) return choice.clips;
  return joins ? [...choice.clips, clip] : [clip];
}
