import { useEffect, useMemo, useRef, useState, type PointerEvent, type RefObject } from "react";

import type { Command, ReelView } from "../../api/client";
import { fit } from "../../draw/canvas";
import { useCanvas } from "../../draw/usecanvas";
import { pieceAt, type Choice } from "./choice";
import { valueOfY, type CurveView } from "./curves";
import { commandOf, curveOf, dragged, gripAt, previewOf, rangeOf, under, type Drag, type Ground } from "./grips";
import { paintRows, type TakeWidths } from "./paint";
import { Pinned } from "./pinned";
import type { Rows } from "./rows";
import { useScroll, type Scroll } from "./scroll";
import { positionOf, ShuttleLine } from "./shuttleline";
import { catches, onFrame } from "./snap";
import { useTaken } from "./taken";
import { useWheel } from "./wheel";

/** How far a press may wander before it counts as a drag, in pixels. */
const slack = 4;
/** How long a press must rest before it listens, in milliseconds. */
const rest = 350;

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
  const preview = useMemo(() => previewOf(view, drag), [view, drag]);
  const drawn = drag?.kind === "point" && drag.of === "track" ? { id: drag.id, points: drag.points } : null;
  const taken = useTaken(view, time);
  const canvas = useCanvas(
    (c) => {
      const s = fit(c);
      if (s)
        paintRows(s.g, s.width, s.height, p.scroller.current?.scrollTop ?? 0, {
          view,
          time,
          takes: p.takes,
          rows,
          choice,
          preview,
          curves: p.curves,
          drawn,
          taken,
        });
    },
    [view, time, p.takes, rows, choice, preview, p.curves, drawn, taken],
    p.scroller,
  );
  const box = useWheel(p.scroll);
  const snapOf = (without: ReadonlySet<string>) => ({
    on: p.snap,
    catches: catches(view, positionOf(view.id, p.at), without),
    perPixel: time.perPixel,
  });
  const ground: Ground = { view, time, rows, choice, curves: p.curves, snapOf };
  const hands = useHands(p, ground, drag, setDrag);
  return (
    <div
      ref={box}
      className="time-area relative w-full shrink-0 grow touch-none select-none"
      style={{ minHeight: rows.height }}
      role="application"
      aria-label="Clips"
      {...hands}
    >
      <Pinned scroller={p.scroller}>
        <canvas ref={canvas} className="absolute inset-0 h-full w-full" aria-hidden />
        <ShuttleLine view={view} time={time} at={p.at} />
      </Pinned>
    </div>
  );
}

const local = (e: { currentTarget: Element; clientX: number; clientY: number }) => {
  const r = e.currentTarget.getBoundingClientRect();
  return { x: e.clientX - r.left, y: e.clientY - r.top };
};

/** What the pointer does on the tracks: a press chooses, one that rests listens, one that moves drags. */
function useHands(p: TimeProps, ground: Ground, drag: Drag | null, setDrag: (d: Drag | null) => void) {
  const { view, rows, choice, time } = ground;
  const press = useRef<Press | null>(null);

  // biome-ignore lint/correctness/useExhaustiveDependencies: as the range is dragged; rows and who is told are of that moment
  useEffect(() => {
    if (drag?.kind !== "range") return;
    p.onChoose({ track: drag.first, clips: drag.lane ? [drag.lane.clip] : [], lane: drag.lane, range: rangeOf(rows, drag) });
  }, [drag]);

  const down = (e: PointerEvent) => {
    if (e.button !== 0) return;
    const { x, y } = local(e);
    e.currentTarget.setPointerCapture(e.pointerId);
    const { at, row, clip, lane } = under(ground, x, y);
    const now: Press = { x, y, drag: gripAt(ground, e, x, y), moving: false, listening: false, timer: 0 };
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
    else if (row)
      p.onChoose({
        track: row.id,
        clips: clip ? withClip(choice, clip.id, e.shiftKey || e.ctrlKey || e.metaKey) : [],
        lane: null,
        range: null,
      });
  };

  const move = (e: PointerEvent) => {
    const now = press.current;
    const { x, y } = local(e);
    if (!now) {
      e.currentTarget.setAttribute("data-grip", gripAt(ground, e, x, y)?.kind ?? "");
      return;
    }
    if (!now.drag || now.listening) return;
    if (!now.moving && Math.hypot(x - now.x, y - now.y) < slack) return;
    now.moving = true;
    clearTimeout(now.timer);
    setDrag(dragged(ground, now.drag, now.drag, (x - now.x) * time.perPixel, x, y, e.shiftKey));
  };

  const up = (e: PointerEvent) => {
    const now = press.current;
    press.current = null;
    setDrag(null);
    if (!now) return;
    clearTimeout(now.timer);
    if (now.listening) return p.onQuiet();
    const { x, y } = local(e);
    if (now.moving && drag) finish(drag);
    else if (!now.moving) pressed(e, x, y, now.drag);
  };

  const finish = (d: Drag) => {
    if (d.kind === "move" && d.copy) return p.onCopyTo([...d.clips], d.by, d.rows);
    const command = commandOf(d);
    if (command) p.onDo(command);
  };

  /** A press that did not move: it chooses, puts the shuttle, or sets and takes away a point of a curve. */
  const pressed = (e: PointerEvent, x: number, y: number, g: Drag | null) => {
    const { at, row, clip, lane } = under(ground, x, y);
    if (g?.kind === "point" && row) {
      if (g.index >= 0 && e.altKey)
        p.onDo(
          curveOf(
            g,
            g.points.filter((_, i) => i !== g.index),
          ),
        );
      else if (g.index < 0)
        p.onDo(
          curveOf(
            g,
            [...g.points, { at: Math.round(at) + g.offset, value: valueOfY(g.what, y - row.y - 4, row.body - 9) }].sort(
              (a, b) => a.at - b.at,
            ),
          ),
        );
      return;
    }
    if (lane && row && clip && (clip.lanes?.[lane.channel]?.cuts?.length ?? 0) > 0) {
      const piece = pieceAt(clip, lane.channel, at); // a piece between cuts is chosen whole
      p.onChoose({ track: row.id, clips: [clip.id], lane, range: { ...piece, tracks: [row.id] } });
    }
    const one =
      clip && row && !lane && choice.clips.includes(clip.id) && choice.clips.length > 1 && !e.shiftKey && !e.ctrlKey && !e.metaKey;
    if (one) p.onChoose({ track: row.id, clips: [clip.id], lane: null, range: null });
    p.onGo(onFrame(view, at));
  };

  const cancel = () => {
    if (press.current) clearTimeout(press.current.timer);
    if (press.current?.listening) p.onQuiet();
    press.current = null;
    setDrag(null);
  };
  useEffect(() => {
    // biome-ignore lint/suspicious/noShadowRestrictedNames: it is meant so
    const escape = (e: KeyboardEvent) => e.key === "Escape" && press.current && cancel();
    window.addEventListener("keydown", escape);
    return () => window.removeEventListener("keydown", escape);
  });

  const open = (e: React.MouseEvent) => {
    const { x, y } = local(e);
    const { clip, lane } = under(ground, x, y);
    if (clip && !lane && p.curves === "none") p.onOpen(clip.id);
  };
  return { onPointerDown: down, onPointerMove: move, onPointerUp: up, onPointerCancel: cancel, onDoubleClick: open };
}

/** The clips that are chosen once one of them is pressed: it joins the others, or stays among them, or is the only one. */
function withClip(choice: Choice, clip: string, joins: boolean): string[] {
  if (choice.clips.includes(clip)) return choice.clips;
  return joins ? [...choice.clips, clip] : [clip];
}
