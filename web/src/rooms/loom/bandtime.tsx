import { useRef, useState, type PointerEvent } from "react";

import type { Command, Point, ReelView } from "../../api/client";
import { fit } from "../../draw/canvas";
import { useCanvas } from "../../draw/usecanvas";
import type { BandRow } from "./band";
import { pointsOf, shownOf, valueOfY, yOfValue, type CurveOf, type CurveView } from "./curves";
import { sampleAt, xOf } from "./geometry";
import { busOf } from "./lookup";
import { paintBand, type TakeWidths } from "./paint";
import type { Rows } from "./rows";
import { useScroll, type Scroll } from "./scroll";
import { ShuttleLine } from "./shuttleline";
import { onFrame } from "./snap";
import { useTaken } from "./taken";
import { useWheel } from "./wheel";

type Props = {
  view: ReelView;
  band: BandRow[];
  bandRow: number;
  scroll: Scroll;
  takes: TakeWidths;
  rows: Rows;
  curves: CurveView;
  at: number;
  onGo: (sample: number) => void;
  onDo: (c: Command) => void;
};

/** The band in time, below the tracks. Where curves of stems and mixes are shown they are drawn there as those of tracks are. */
export function BandTime(p: Props) {
  const time = useScroll(p.scroll);
  const [drag, setDrag] = useState<Drag | null>(null);
  const drawn = drag && { id: `${drag.row.row} ${drag.row.id}`, points: drag.points };
  const taken = useTaken(p.view, time);
  const canvas = useCanvas(
    (c) => {
      const s = fit(c);
      if (s) paintBand(s.g, s.width, { ...p, time, drawn, taken });
    },
    [p.view, p.band, p.bandRow, time, p.takes, p.rows, p.curves, drag, taken],
  );
  const box = useWheel(p.scroll);
  const hands = useHands(p, drag, setDrag);
  return (
    <div ref={box} className="relative w-full touch-none overflow-hidden" style={{ height: p.band.length * p.bandRow }} {...hands}>
      <canvas ref={canvas} className="absolute inset-0 h-full w-full" />
      <ShuttleLine view={p.view} time={time} at={p.at} />
    </div>
  );
}

/** A point of a row's curve that is held: the points as they are with it where the pointer is. */
type Drag = { row: BandRow; points: Point[] };

/** How near a point is taken hold of, in pixels. */
const near = 6;

/** What the pointer does: it puts the shuttle, or sets, moves and (with Alt) takes away a point of the curve that is shown. */
function useHands(p: Props, drag: Drag | null, setDrag: (d: Drag | null) => void) {
  const { view, band, bandRow } = p;
  const held = useRef<{ row: BandRow; others: Point[]; x: number; y: number; moving: boolean } | null>(null);
  const shown = shownOf(p.curves);
  const what = shown?.of === "bus" ? shown.what : null;
  const time = useScroll(p.scroll);
  const place = (e: PointerEvent) => {
    const r = e.currentTarget.getBoundingClientRect();
    return { x: e.clientX - r.left, y: e.clientY - r.top };
  };
  const pointsWith = (e: PointerEvent, others: Point[]) => {
    const { x, y } = place(e);
    return [...others, { at: Math.round(sampleAt(time, x)), value: valueOfY(what!, (y % bandRow) - 4, bandRow - 9) }].sort(
      (a, b) => a.at - b.at,
    );
  };
  const keep = (row: BandRow, points: Point[]) =>
    p.onDo({ kind: "setCurve", command: { of: row.row as CurveOf, id: row.id, what: what!, points } });

  const down = (e: PointerEvent) => {
    const { x, y } = place(e);
    const row = band[Math.floor(y / bandRow)];
    if (!what || !row || e.button !== 0) return p.onGo(onFrame(view, sampleAt(time, x)));
    const points = pointsOf(busOf(view, row.row, row.id), what);
    const depth = y % bandRow;
    const index = points.findIndex(
      (q) => Math.abs(xOf(time, q.at) - x) < near && Math.abs(yOfValue(what, q.value, bandRow - 9) + 4 - depth) < near + 2,
    );
    const others = points.filter((_, i) => i !== index);
    if (e.altKey) return void (index >= 0 && keep(row, others));
    e.currentTarget.setPointerCapture(e.pointerId);
    held.current = { row, others, x, y, moving: index < 0 };
    if (index < 0) setDrag({ row, points: pointsWith(e, others) });
  };
  const move = (e: PointerEvent) => {
    const h = held.current;
    if (!h || !what) return;
    const { x, y } = place(e);
    h.moving ||= Math.hypot(x - h.x, y - h.y) > 3;
    if (h.moving) setDrag({ row: h.row, points: pointsWith(e, h.others) });
  };
  const up = () => {
    if (held.current?.moving && drag && what) keep(drag.row, drag.points);
    held.current = null;
    setDrag(null);
  };
  const cancel = () => {
    held.current = null;
    setDrag(null);
  };
  return { onPointerDown: down, onPointerMove: move, onPointerUp: up, onPointerCancel: cancel };
}
