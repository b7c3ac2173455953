import { useCallback, useLayoutEffect, useRef, useState, type ReactNode, type RefObject } from "react";

import type { Columns } from "./columns";
import { columnWidth, reedWidth } from "./geometry";
import { useLoom, useLoomStore } from "./state";

/** How much of the room the weave may take. */
const mostWeave = 0.45;

/** The width of an element, as it changes. */
function useWidth(ref: RefObject<HTMLElement | null>): number {
  const [width, setWidth] = useState(1280);
  useLayoutEffect(() => {
    const box = ref.current;
    if (!box) return;
    setWidth(box.clientWidth);
    const watch = new ResizeObserver(() => setWidth(box.clientWidth));
    watch.observe(box);
    return () => watch.disconnect();
  }, [ref]);
  return width;
}

/** Where the reed stands: how much of the weave is shown, and how far it is slid. */
export type Reeded = { shown: number; slid: number; full: number; slide: (to: number) => void; reach: (column: number) => void };

export function useReed(columns: Columns, room: RefObject<HTMLElement | null>): Reeded {
  const store = useLoomStore();
  const reed = useLoom((s) => s.reed);
  const slide = useLoom((s) => s.slide);
  const most = Math.floor(useWidth(room) * mostWeave);
  const shown = Math.min(reed ?? columns.width, columns.width, most);
  const slid = Math.max(0, Math.min(slide, columns.width - shown));
  const now = useRef({ shown, slid, columns });
  now.current = { shown, slid, columns };
  const to = useCallback((slide: number) => store.setState({ slide: Math.max(0, Math.min(slide, now.current.columns.width - now.current.shown)) }), [store]);
  const reach = useCallback(
    (column: number) => {
      const { shown, slid, columns } = now.current;
      const c = columns.list[column];
      if (!c) return;
      if (c.x - columnWidth < slid) to(c.x - columnWidth);
      else if (c.x + c.width + columnWidth > slid + shown) to(c.x + c.width + columnWidth - shown);
    },
    [to],
  );
  return { shown, slid, full: columns.width, slide: to, reach };
}

/** A part of the weave that is slid sideways like all its other parts. */
export function Slid({ reed, children }: { reed: Reeded; children: ReactNode }) {
  return (
    <Shown reed={reed}>
      <div className="h-full" style={{ transform: `translateX(${-reed.slid}px)`, width: reed.full }}>
        {children}
      </div>
    </Shown>
  );
}

/** As wide as the reed leaves the weave; the wheel slides it. */
export function Shown({ reed, children }: { reed: Reeded; children: ReactNode }) {
  return (
    <div className="h-full shrink-0 overflow-hidden" style={{ width: reed.shown }} onWheel={(e) => (e.shiftKey || e.deltaX !== 0) && reed.slide(reed.slid + (e.deltaX || e.deltaY))}>
      {children}
    </div>
  );
}

const look = { background: "repeating-linear-gradient(0deg, var(--line) 0 2px, var(--warp) 2px 4px)" };

/** The divider between time and weave; dragging it, or the arrow keys, give one of them more room. */
export function Reed({ reed }: { reed: Reeded }) {
  const store = useLoomStore();
  const grip = useRef({ x: 0, width: 0 });
  const keep = (w: number) => store.setState({ reed: Math.max(0, Math.min(reed.full, w)) });
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
      onPointerDown={(e) => {
        e.currentTarget.setPointerCapture(e.pointerId);
        grip.current = { x: e.clientX, width: reed.shown };
      }}
      onPointerMove={(e) => e.buttons === 1 && keep(grip.current.width + grip.current.x - e.clientX)}
      onDoubleClick={() => store.setState({ reed: null })}
      onKeyDown={(e) => {
        if (e.key !== "ArrowLeft" && e.key !== "ArrowRight") return;
        e.preventDefault();
        keep(reed.shown + (e.key === "ArrowLeft" ? 30 : -30));
      }}
    />
  );
}
