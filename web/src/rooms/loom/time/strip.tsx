import { useMemo, useRef } from "react";

import type { ReelView } from "../../../api/client";
import { colour, dye, fit } from "../../../draw/canvas";
import { useCanvas } from "../../../draw/usecanvas";
import { useSize } from "../../../ui/size";
import { whole, xOf, sampleAt, type TimeView } from "../ground/geometry";
import type { Rows } from "../ground/rows";
import { useScroll, type Scroll } from "../ground/scroll";
import { ShuttleLine } from "../ground/shuttleline";
import { usePress, type At } from "../../../ui/press";

/** The whole reel, small: every track a line, and what of it is in view. A press goes there. */
export function ReelStrip(p: {
  view: ReelView;
  rows: Rows;
  scroll: Scroll;
  timeWidth: number;
  at: number;
  onGo: (sample: number) => void;
}) {
  const shown = useScroll(p.scroll);
  const box = useRef<HTMLDivElement>(null);
  const { width } = useSize(box, { width: 600, height: 0 });
  const all = useMemo(() => whole(p.view, width), [p.view, width]);
  const canvas = useCanvas(
    (c) => {
      const s = fit(c);
      if (s) paintStrip(s.g, s.width, s.height, p.view, p.rows, all, shown, p.timeWidth);
    },
    [p.view, p.rows, all, shown, p.timeWidth],
  );
  const hands = usePress(() => {
    const go = (at: At) => p.onGo(Math.max(p.view.head.start, Math.min(p.view.end, Math.round(sampleAt(all, at.x)))));
    return { slack: 0, drag: go, drop: go };
  });
  return (
    <div
      ref={box}
      className="relative h-full w-full cursor-pointer touch-none overflow-hidden"
      title="The whole reel: press to go there"
      {...hands}
    >
      <canvas ref={canvas} className="absolute inset-0 h-full w-full" role="img" aria-label="The whole reel" />
      <ShuttleLine view={p.view} time={all} at={p.at} />
    </div>
  );
}

function paintStrip(
  g: CanvasRenderingContext2D,
  width: number,
  height: number,
  view: ReelView,
  rows: Rows,
  all: TimeView,
  shown: TimeView,
  timeWidth: number,
) {
  const pad = 8;
  const each = (height - 2 * pad) / Math.max(1, view.tracks.length);
  view.tracks.forEach((t, i) => {
    g.fillStyle = dye(t.stem);
    g.globalAlpha = t.mute ? 0.25 : 0.75;
    for (const c of rows.clips.get(t.id) ?? [])
      g.fillRect(xOf(all, c.start), pad + i * each, Math.max(1, c.length / all.perPixel), Math.max(1, each - (each > 3 ? 1 : 0)));
  });
  const x0 = Math.max(0, xOf(all, shown.left));
  const x1 = Math.min(width, xOf(all, shown.left + timeWidth * shown.perPixel));
  g.globalAlpha = 1;
  if (x0 <= 1 && x1 >= width - 1) return;
  g.fillStyle = colour("--band");
  g.globalAlpha = 0.7;
  g.fillRect(0, 0, x0, height);
  g.fillRect(x1, 0, width - x1, height);
  g.globalAlpha = 1;
  g.strokeStyle = colour("--ink");
  g.lineWidth = 1.5;
  g.strokeRect(x0 + 1, 1, Math.max(4, x1 - x0 - 2), height - 2);
}
