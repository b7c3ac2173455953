import { useRef } from "react";

import { fit } from "../../../draw/canvas";
import { useCanvas } from "../../../draw/usecanvas";
import { rulerHeight, sampleAt, xOf, type Timed } from "../ground/geometry";
import { paintRuler } from "./paint";
import { useScroll, type Scroll } from "../ground/scroll";
import { ShuttleMark } from "../ground/shuttleline";
import { putAt } from "../ground/snap";
import { useWheel } from "../ground/wheel";
import { usePress, type At } from "../../../ui/press";

/** The ruler above the tracks; pressing or dragging on it moves the shuttle, and is heard while dragging. Shift drags a range. */
export function Ruler(p: {
  view: Timed;
  scroll: Scroll;
  at: number;
  range: { from: number; to: number } | null;
  loop: boolean;
  /** Whether the playhead keeps to frames. */
  frames?: boolean;
  /** How tall what sounds is drawn. */
  heights?: string;
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
  const latest = useRef({ p, time });
  latest.current = { p, time };
  const place = (at: At) => putAt(latest.current.p.view, sampleAt(latest.current.time, at.x), latest.current.p.frames ?? true);
  const hands = usePress((at) => {
    const from = place(at);
    const mark = at.y < 22 ? p.view.marks.findLast((m) => at.x >= xOf(time, m.at) - 2 && at.x < xOf(time, m.at) + 60) : undefined;
    if (mark) p.onMark(mark.id);
    if (!at.shiftKey) p.onGo(mark ? mark.at : from);
    const to = (at: At) => {
      const now = place(at);
      if (to.range) latest.current.p.onRange(Math.min(from, now), Math.max(from, now));
      else latest.current.p.onScrub(now);
    };
    to.range = at.shiftKey;
    return { slack: 1, drag: to, drop: to };
  });
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
      {...hands}
    >
      <canvas ref={canvas} className="h-full w-full" />
      <ShuttleMark view={p.view} time={time} at={p.at} />
      {p.heights && (
        <span
          className="absolute bottom-0 right-0 flex h-[18px] items-center bg-ground pl-2 pr-1 text-[11px] text-muted"
          title="How tall what sounds is drawn: in dB or linear, and by how many dB it is raised (Alt V, Alt T, Alt G)"
        >
          {p.heights}
        </span>
      )}
    </div>
  );
}
