import { useEffect, useLayoutEffect, useMemo, useRef, useState } from "react";

import type { ReelView } from "../../../api/client";
import { player } from "../../../listen/player";
import { whole, xOf, zoom } from "../ground/geometry";
import type { Listening } from "../transport/listening";
import { Scroll } from "../ground/scroll";
import { positionOf } from "../ground/shuttleline";

/** What of time is in view, and how it is gone to. */
export function useTimeView(view: ReelView, listening: Listening) {
  const { playing, position, quiet, go } = listening;
  const box = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(600);
  useLayoutEffect(() => {
    const measure = () => setWidth(box.current?.clientWidth ?? 600);
    measure();
    const o = new ResizeObserver(measure);
    o.observe(box.current!);
    return () => o.disconnect();
  }, []);
  // biome-ignore lint/correctness/useExhaustiveDependencies: how long a reel is depends on no more of it
  const overall = useMemo(() => whole(view, width), [view.clips, view.head.start, view.end, width]);
  const [scroll] = useState(() => new Scroll(overall));
  useLayoutEffect(() => scroll.fit(overall, width), [scroll, overall, width]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: whether it is only tried is asked as it plays
  useEffect(() => {
    if (!playing) return;
    // The page turns when the shuttle runs out of it.
    return player.subscribe(() => {
      const now = positionOf(view.id, -1);
      const x = xOf(scroll.now(), now);
      if (now >= 0 && !quiet() && (x > width * 0.96 || x < 0)) scroll.change((v) => ({ ...v, left: now - width * 0.06 * v.perPixel }));
    });
  }, [playing, view.id, scroll, width]);
  const nearer = (factor: number) =>
    scroll.change((v) => zoom(v, factor, Math.max(0, Math.min(width, (position() - v.left) / v.perPixel))));
  /** Goes to a place and brings it into view. */
  const visit = (sample: number) => {
    go(sample);
    const x = xOf(scroll.now(), sample);
    if (x < 0 || x > width) scroll.change((v) => ({ ...v, left: sample - width * 0.3 * v.perPixel }));
  };
  /** Brings a range into view, as near as it is seen now, without going there. */
  const see = (from: number, to: number) =>
    void (
      (xOf(scroll.now(), from) < 0 || xOf(scroll.now(), to) > width) &&
      scroll.change((v) => ({ ...v, left: (from + to) / 2 - (width / 2) * v.perPixel }))
    );
  return { box, width, scroll, nearer, visit, see };
}

export type InTime = ReturnType<typeof useTimeView>;
