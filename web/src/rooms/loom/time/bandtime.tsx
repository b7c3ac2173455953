import { useRef, useState, type Dispatch, type SetStateAction } from "react";

import type { Command, Point, ReelView } from "../../../api/client";
import { fit } from "../../../draw/canvas";
import { useCanvas } from "../../../draw/usecanvas";
import { usePress, type At } from "../../../ui/press";
import type { Wanted } from "../../../api/hooks";
import type { BandRow } from "../ground/band";
import { pointsOf, shownOf, valueOfY, yOfValue, type CurveOf, type CurveView } from "../ground/curves";
import { sampleAt, xOf } from "../ground/geometry";
import { busOf } from "../ground/lookup";
import { paintBand, type TakeWidths } from "./paint";
import type { Rows } from "../ground/rows";
import { useScroll, type Scroll } from "../ground/scroll";
import { ShuttleLine } from "../ground/shuttleline";
import { onFrame } from "../ground/snap";
import { heightsOf } from "./sounding";
import { useLoom } from "../ground/state";
import { useTaken } from "./taken";
import { useWheel } from "../ground/wheel";

type Props = {
  view: ReelView;
  revision: number; // of chains, where one is open
  band: BandRow[];
  bandRow: number;
  scroll: Scroll;
  takes: TakeWidths;
  rows: Rows;
  curves: CurveView;
  at: number;
  onGo: (sample: number) => void;
  onDo: (c: Wanted) => Promise<unknown>;
};

/** The band in time, below the tracks. Where curves of stems and mixes are shown they are drawn there as those of tracks are. */
export function BandTime(p: Props) {
  const time = useScroll(p.scroll);
  const [drag, setDrag] = useState<Drag | null>(null);
  const waves = useLoom((s) => s.waves);
  const drawn = drag && { id: `${drag.row.row} ${drag.row.id}`, points: drag.points };
  const taken = useTaken(p.view, time, p.revision);
  const canvas = useCanvas(
    (c) => {
      const s = fit(c);
      if (s) paintBand(s.g, s.width, { ...p, time, drawn, taken, heights: heightsOf(waves) });
    },
    [p.view, p.band, p.bandRow, time, p.takes, p.rows, p.curves, drag, taken, waves],
  );
  const box = useWheel(p.scroll);
  const hands = useHands(p, setDrag);
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
function useHands(p: Props, setDrag: Dispatch<SetStateAction<Drag | null>>) {
  const time = useScroll(p.scroll);
  const latest = useRef({ p, time }); // as it is when the hand lets go
  latest.current = { p, time };
  const shown = shownOf(p.curves);
  const what = shown?.of === "bus" ? shown.what : null;

  return usePress(({ x, y, altKey }) => {
    const { view, band, bandRow } = p;
    const row = band[Math.floor(y / bandRow)];
    if (!what || !row) {
      p.onGo(onFrame(view, sampleAt(time, x)));
      return null;
    }
    const points = pointsOf(busOf(view, row.row, row.id), what);
    const depth = y % bandRow;
    const index = points.findIndex(
      (q) => Math.abs(xOf(time, q.at) - x) < near && Math.abs(yOfValue(what, q.value, bandRow - 9) + 4 - depth) < near + 2,
    );
    const others = points.filter((_, i) => i !== index);
    const drawn = (points: Point[]): Command => ({ kind: "setCurve", command: { of: row.row as CurveOf, id: row.id, what, points } });
    const keep = (points: Point[]) => latest.current.p.onDo(drawn(points));
    // A new one joins those that there are by then: the one before it may not be on the screen yet.
    const add = (point: Point) =>
      latest.current.p.onDo((view) => drawn([...pointsOf(busOf(view, row.row, row.id), what), point].sort((a, b) => a.at - b.at)));
    if (altKey) {
      if (index >= 0) void keep(others);
      return null;
    }
    const top = Math.floor(y / bandRow) * bandRow; // the row that was taken hold of, wherever the pointer goes
    const held = (to: At): Point => {
      const value = valueOfY(what, Math.max(0, Math.min(bandRow, to.y - top)) - 4, bandRow - 9);
      return { at: Math.round(sampleAt(latest.current.time, to.x)), value };
    };
    const among = (to: At): Point[] => [...others, held(to)].sort((a, b) => a.at - b.at);
    return {
      slack: index < 0 ? 0 : 3,
      drag: (to) => setDrag({ row, points: among(to) }),
      drop: (to) => {
        const d = { row, points: among(to) };
        setDrag(d);
        void (index < 0 ? add(held(to)) : keep(d.points)).finally(() => setDrag((now) => (now === d ? null : now)));
      },
      cancel: () => setDrag(null),
    };
  });
}
