import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";

import { api, ok, type Point, type ReelView } from "../../api/client";
import { fit } from "../../draw/canvas";
import { useCanvas } from "../../draw/usecanvas";
import { sampleAt, whole, xOf, type Timed } from "../loom/ground/geometry";
import { Ruler } from "../loom/time/ruler";
import { useScroll, type Scroll } from "../loom/ground/scroll";
import { ShuttleLine } from "../loom/ground/shuttleline";
import { useWheel } from "../loom/ground/wheel";
import type { Asked } from "./of";
import type { GaugeLines, GaugeRow } from "./judge";
import { lanes, lanesHeight, paint, rideFoot, rideTop, rideY } from "./paint";
import { usePress, type At } from "../../ui/press";

/** What of time is asked for: what is in view, in as many columns as it has pixels, and not while it is being turned. */
export function useInView(view: Timed, scroll: Scroll, width: number) {
  const time = useScroll(scroll);
  const [seen, setSeen] = useState(time);
  useEffect(() => {
    const soon = setTimeout(() => setSeen(time), 120);
    return () => clearTimeout(soon);
  }, [time]);
  const from = Math.max(view.head.start, Math.floor(seen.left));
  const to = Math.max(from + 1, Math.ceil(seen.left + seen.perPixel * width));
  return { from, to, columns: Math.max(10, Math.min(2000, Math.round(width))) };
}

/** What ran over time on a row. */
export function useLines(view: ReelView, row: GaugeRow | undefined, asked: Asked, revision: number, scroll: Scroll, width: number) {
  const { from, to, columns } = useInView(view, scroll, width);
  return useQuery({
    queryKey: ["gauge lines", view.id, revision, row?.row, row?.id, asked, from, to, width],
    enabled: row !== undefined && width > 0,
    placeholderData: keepPreviousData,
    queryFn: () =>
      ok(
        api.GET("/reels/{reel}/gauge/lines", {
          params: { path: { reel: view.id }, query: { row: row!.row, id: row!.id, ...asked, from, to, columns } },
        }),
      ),
  });
}

/** The lines of a row over the reel's time, with the ruler above and the shuttle's line through it. */
export function Plot(p: {
  view: Timed;
  row: Pick<GaugeRow, "name" | "limit" | "correction">;
  /** What is shown is a file by itself, not a row of a reel. */
  file?: boolean;
  lines: GaugeLines | undefined;
  scroll: Scroll;
  at: number;
  range: { from: number; to: number } | null;
  onWidth: (width: number) => void;
  onGo: (sample: number) => void;
  onRange: (range: { from: number; to: number } | null) => void;
  onRide?: (points: Point[]) => void;
}) {
  const { view, scroll } = p;
  const { head } = view;
  const time = useScroll(scroll);
  const ride = p.row.correction?.ride ?? [];
  const [drawn, setDrawn] = useState<Point[] | null>(null);
  const shown = drawn ?? ride;
  const canvas = useCanvas(
    (c) => {
      const s = fit(c);
      if (!s) return;
      paint(s.g, s.width, s.height, {
        start: head.start,
        rate: head.sampleRate,
        time,
        lines: p.lines?.lines,
        before: p.lines?.before,
        limit: p.row.limit ?? {},
        ride: shown,
        range: p.range,
        file: p.file ?? false,
      });
    },
    [p.lines, time, p.row, p.range, shown, head],
  );
  const box = useWheel(scroll);
  // biome-ignore lint/correctness/useExhaustiveDependencies: only the length counts; who is told the width is always the same
  useEffect(() => {
    const el = box.current!;
    const observer = new ResizeObserver(() => {
      scroll.fit(whole(view, el.clientWidth, 1), el.clientWidth);
      p.onWidth(el.clientWidth);
    });
    observer.observe(el);
    return () => observer.disconnect();
  }, [view.id, view.end, scroll]);
  const inRide = (e: Pick<MouseEvent, "clientX" | "clientY">) => e.clientY > canvas.current!.getBoundingClientRect().bottom - lanes.ride;
  const level = (e: Pick<MouseEvent, "clientX" | "clientY">) => {
    const y = e.clientY - canvas.current!.getBoundingClientRect().bottom + lanes.ride;
    return Math.round(Math.max(rideFoot, Math.min(rideTop, rideTop - (y / (lanes.ride - 2)) * (rideTop - rideFoot))) * 10) / 10;
  };
  const placeOf = (e: Pick<MouseEvent, "clientX" | "clientY">) =>
    Math.round(sampleAt(time, e.clientX - canvas.current!.getBoundingClientRect().left));
  const near = (e: Pick<MouseEvent, "clientX" | "clientY">) => {
    const x = e.clientX - canvas.current!.getBoundingClientRect().left;
    const y = e.clientY - canvas.current!.getBoundingClientRect().bottom + lanes.ride;
    return shown.findIndex((q) => Math.abs(xOf(time, q.at) - x) < 7 && Math.abs(rideY(q.value) - y) < 9);
  };
  const hands = usePress((from) => {
    if (inRide(from) && p.row.correction) {
      const point = near(from);
      if (point < 0) return null;
      const to = (at: At) => shown.map((q, i) => (i === point ? { ...q, value: level(at) } : q));
      return {
        slack: 1,
        drag: (at) => setDrawn(to(at)),
        drop: (at) => {
          setDrawn(null);
          p.onRide?.(to(at));
        },
        cancel: () => setDrawn(null),
      };
    }
    const began = placeOf(from);
    const to = (at: At) => p.onRange({ from: Math.min(began, placeOf(at)), to: Math.max(began, placeOf(at)) });
    return {
      drag: to,
      drop: to,
      tap: () => {
        p.onRange(null);
        p.onGo(began);
      },
      cancel: () => p.onRange(p.range),
    };
  });
  return (
    <div className="flex min-h-0 grow flex-col">
      <Ruler
        view={view}
        scroll={scroll}
        at={p.at}
        range={p.range}
        loop={false}
        onGo={p.onGo}
        onScrub={p.onGo}
        onRange={(from, to) => p.onRange({ from, to })}
        onMark={() => undefined}
      />
      <div ref={box} className="relative min-h-0 grow overflow-hidden" style={{ minHeight: lanesHeight(p.file ?? false) + 120 }}>
        <canvas
          ref={canvas}
          className="absolute inset-0 h-full w-full touch-none"
          role="img"
          aria-label={`Loudness, true peak and correlation of ${p.row.name} over time`}
          {...hands}
          onDoubleClick={(e) => {
            if (!p.row.correction || !inRide(e)) return;
            const at = near(e);
            if (at >= 0) p.onRide?.(shown.filter((_, i) => i !== at));
            else p.onRide?.([...shown, { at: placeOf(e), value: level(e) }].sort((a, b) => a.at - b.at));
          }}
        />
        <ShuttleLine view={view} time={time} at={p.at} />
        <div className="pointer-events-none absolute left-12 top-2 flex gap-4 text-[12px]" aria-hidden>
          <Key what="momentary">
            <rect y={2} width={12} height={8} fill="var(--warp)" />
          </Key>
          <Key what="short-term">
            <rect y={5} width={12} height={2} fill="var(--ink)" />
          </Key>
          {(p.lines?.before?.length ?? 0) > 0 && (
            <Key what="short-term before">
              <path d="M0 6h2M4 6h2M8 6h2" stroke="var(--act)" strokeWidth={2} />
            </Key>
          )}
          <Key what="integrated so far">
            <path d="M0 6h5M7 6h5" stroke="var(--dye-own-1)" strokeWidth={2} />
          </Key>
        </div>
      </div>
    </div>
  );
}

function Key({ what, children }: { what: string; children: React.ReactNode }) {
  return (
    <span className="flex items-center gap-1 rounded bg-ground/80 px-1">
      <svg width={12} height={12} aria-hidden>
        {children}
      </svg>
      {what}
    </span>
  );
}
