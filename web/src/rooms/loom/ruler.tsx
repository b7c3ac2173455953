import { useRef } from "react";

import { fit } from "../../draw/canvas";
import { useCanvas } from "../../draw/usecanvas";
import { rulerHeight, sampleAt, xOf, type Timed } from "./geometry";
import { paintRuler } from "./paint";
import { useScroll, type Scroll } from "./scroll";
import { ShuttleMark } from "./shuttleline";
import { onFrame } from "./snap";
import { useWheel } from "./wheel";

/** The ruler above the tracks; pressing or dragging on it moves the shuttle, and is heard while dragging. Shift drags a range. */
export function Ruler(p: {
  view: Timed;
  scroll: Scroll;
  at: number;
  range: { from: number; to: number } | null;
  loop: boolean;
  onGo: (sample: number) => void;
  onScrub: (sample: number) => void;
  onRange: (from: number, to: number) => void;
  onMark: (id: string) => void;
}) {
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
      aria-valuetext="Press to move the playhead, Shift and drag for a range"
      aria-valuenow={Math.round(p.at)}
      tabIndex={-1}
      onPointerDown={(e) => {
        e.currentTarget.setPointerCapture(e.pointerId);
        const box = e.currentTarget.getBoundingClientRect();
        const x = e.clientX - box.left;
        const mark =
          e.clientY - box.top < 22 ? p.view.marks.findLast((m) => x >= xOf(time, m.at) - 2 && x < xOf(time, m.at) + 60) : undefined;
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
