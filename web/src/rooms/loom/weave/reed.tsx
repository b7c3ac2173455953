import { useMemo, useRef, type ReactNode, type RefObject } from "react";

import { useSize } from "../../../ui/size";
import type { Columns } from "../ground/columns";
import { columnWidth, reedWidth } from "../ground/geometry";
import { useLoom, useLoomStore } from "../ground/state";
import { usePress, type At } from "../../../ui/press";

/** How much of the room the weave may take. */
const mostWeave = 0.45;

/** Where the reed stands: how much of the weave is shown. How far it is slid is asked for by what is slid alone. */
export type Reeded = { shown: number; full: number; slide: (by: number) => void; reach: (column: number) => void };

const within = (slide: number, shown: number, full: number) => Math.max(0, Math.min(slide, full - shown));

/** How far the weave is slid, in pixels. */
export const useSlid = (shown: number, full: number): number => useLoom((s) => within(s.slide, shown, full));

export function useReed(columns: Columns, room: RefObject<HTMLElement | null>): Reeded {
  const store = useLoomStore();
  const reed = useLoom((s) => s.reed);
  const most = Math.floor(useSize(room, { width: 1280, height: 0 }).width * mostWeave);
  const shown = Math.min(reed ?? columns.width, columns.width, most);
  const now = useRef({ shown, columns });
  now.current = { shown, columns };
  return useMemo(() => {
    const at = () => within(store.getState().slide, shown, columns.width);
    const to = (slide: number) => store.setState({ slide: within(slide, now.current.shown, now.current.columns.width) });
    const reach = (column: number) => {
      const c = now.current.columns.list[column];
      if (!c) return;
      if (c.x - columnWidth < at()) to(c.x - columnWidth);
      else if (c.x + c.width + columnWidth > at() + now.current.shown) to(c.x + c.width + columnWidth - now.current.shown);
    };
    return { shown, full: columns.width, slide: (by: number) => to(at() + by), reach };
  }, [store, shown, columns]);
}

/** A part of the weave that is slid sideways like all its other parts. */
export function Slid({ reed, children }: { reed: Reeded; children: ReactNode }) {
  const slid = useSlid(reed.shown, reed.full);
  return (
    <Shown reed={reed}>
      <div className="h-full" style={{ transform: `translateX(${-slid}px)`, width: reed.full }}>
        {children}
      </div>
    </Shown>
  );
}

/** As wide as the reed leaves the weave; the wheel slides it. It clips and does not scroll, so that what is pinned in it is pinned
 * to the rows. */
export function Shown({ reed, children }: { reed: Reeded; children: ReactNode }) {
  return (
    <div
      className="h-full shrink-0 overflow-clip"
      style={{ width: reed.shown }}
      onWheel={(e) => (e.shiftKey || e.deltaX !== 0) && reed.slide(e.deltaX || e.deltaY)}
    >
      {children}
    </div>
  );
}

const look = { background: "repeating-linear-gradient(0deg, var(--line) 0 2px, var(--warp) 2px 4px)" };

/** The divider between time and weave; dragging it, or the arrow keys, give one of them more room. */
export function Reed({ reed }: { reed: Reeded }) {
  const store = useLoomStore();
  const keep = (w: number) => store.setState({ reed: Math.max(0, Math.min(reed.full, w)) });
  const hands = usePress((from) => {
    const to = (at: At) => keep(reed.shown + from.clientX - at.clientX);
    return { drag: to, drop: to, cancel: () => keep(reed.shown) };
  });
  return (
    <div
      role="separator"
      aria-orientation="vertical"
      aria-label="The reed, between time and weave"
      aria-valuenow={Math.round(reed.shown)}
      aria-valuemin={0}
      aria-valuemax={Math.round(reed.full)}
      tabIndex={0}
      title="Drag to give time or weave more room; double-click for all of the weave"
      className="sticky top-0 shrink-0 cursor-col-resize touch-none"
      style={{ width: reedWidth, ...look }}
      {...hands}
      onDoubleClick={() => store.setState({ reed: null })}
      onKeyDown={(e) => {
        if (e.key !== "ArrowLeft" && e.key !== "ArrowRight") return;
        e.preventDefault();
        keep(reed.shown + (e.key === "ArrowLeft" ? 30 : -30));
      }}
    />
  );
}
