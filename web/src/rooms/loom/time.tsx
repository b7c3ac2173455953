import { useEffect, useMemo, useRef, useState } from "react";

import type { Clip, ReelView } from "../../api/client";
import { fit } from "../../draw/canvas";
import { onOverview } from "../../draw/overview";
import { useLight } from "../../ui/light";
import { frameAt, sampleOf } from "../../ui/timecode";
import { rulerHeight, sampleAt, trackHeight, xOf, zoom, type TimeView } from "./geometry";
import { paintRows, paintRuler, type TakeWidths } from "./paint";

type Props = {
  view: ReelView;
  time: TimeView;
  takes: TakeWidths;
  selectedTrack: string;
  selectedClip: string;
  position: number;
  onTime: (change: (v: TimeView) => TimeView) => void;
  onGo: (sample: number) => void;
  onSelect: (track: string, clip: string) => void;
  onMove: (clip: string, by: number) => void;
};

/** Paints a canvas again whenever what it shows changes, at most once a frame. */
function useCanvas(paint: (c: HTMLCanvasElement) => void, again: unknown[]) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const light = useLight();
  useEffect(() => {
    let due = 0;
    const run = () => {
      cancelAnimationFrame(due);
      due = requestAnimationFrame(() => canvas.current && paint(canvas.current));
    };
    run();
    const observer = new ResizeObserver(run);
    observer.observe(canvas.current!);
    const stop = onOverview(run);
    return () => {
      cancelAnimationFrame(due);
      observer.disconnect();
      stop();
    };
  }, [...again, light]); // eslint-disable-line react-hooks/exhaustive-deps
  return canvas;
}

/** Zooms with the wheel and Ctrl, scrolls in time with Shift or sideways. */
function useWheel(onTime: Props["onTime"]) {
  const box = useRef<HTMLDivElement>(null);
  useEffect(() => {
    const el = box.current!;
    const wheel = (e: WheelEvent) => {
      const x = e.clientX - el.getBoundingClientRect().left;
      if (e.ctrlKey || e.metaKey) {
        e.preventDefault();
        onTime((v) => zoom(v, Math.exp(Math.max(-60, Math.min(60, e.deltaY)) * 0.006), x));
        return;
      }
      const by = e.shiftKey ? e.deltaY || e.deltaX : e.deltaX;
      if (Math.abs(by) > 0 && (e.shiftKey || Math.abs(e.deltaX) > Math.abs(e.deltaY))) {
        e.preventDefault();
        onTime((v) => ({ ...v, left: v.left + by * v.perPixel }));
      }
    };
    el.addEventListener("wheel", wheel, { passive: false });
    return () => el.removeEventListener("wheel", wheel);
  }, [onTime]);
  return box;
}

/** The ruler above the tracks; pressing or dragging on it moves the shuttle. */
export function Ruler(p: Pick<Props, "view" | "time" | "position" | "onTime" | "onGo" | "takes">) {
  const scene = { ...p, selectedTrack: "", selectedClip: "", drag: null };
  const canvas = useCanvas(
    (c) => {
      const s = fit(c);
      if (s) paintRuler(s.g, s.width, s.height, scene);
    },
    [p.view.head, p.time],
  );
  const box = useWheel(p.onTime);
  const go = (e: React.PointerEvent) => p.onGo(onFrame(p.view, sampleAt(p.time, e.clientX - e.currentTarget.getBoundingClientRect().left)));
  const x = xOf(p.time, p.position);
  return (
    <div
      ref={box}
      className="relative h-full w-full cursor-pointer touch-none overflow-hidden"
      style={{ height: rulerHeight }}
      onPointerDown={(e) => {
        e.currentTarget.setPointerCapture(e.pointerId);
        go(e);
      }}
      onPointerMove={(e) => e.buttons === 1 && go(e)}
    >
      <canvas ref={canvas} className="h-full w-full" />
      <svg className="pointer-events-none absolute bottom-0" style={{ left: x - 7 }} width={14} height={14} aria-hidden>
        <path d="M7 14 L1 6 L7 0 L13 6 Z" fill="var(--zest)" />
      </svg>
    </div>
  );
}

const onFrame = (view: ReelView, sample: number) => sampleOf(frameAt(Math.max(0, sample), view.head.sampleRate, view.head.frameRate), view.head.sampleRate, view.head.frameRate);

/** How far a press may wander before it counts as a drag, in pixels. */
const slack = 4;

/** Tracks and stems in time. Clips are selected by a press and moved, with all that is tied to them, by dragging. */
export function TimeArea(p: Props & { height: number }) {
  const [drag, setDrag] = useState<{ clip: Clip; x: number; by: number; moving: boolean } | null>(null);
  const scene = useMemo(
    () => ({ view: p.view, time: p.time, takes: p.takes, selectedTrack: p.selectedTrack, selectedClip: p.selectedClip, drag: drag?.moving ? { clip: drag.clip.id, tie: drag.clip.tie, by: drag.by } : null }),
    [p.view, p.time, p.takes, p.selectedTrack, p.selectedClip, drag],
  );
  const canvas = useCanvas(
    (c) => {
      const s = fit(c);
      if (s) paintRows(s.g, s.width, scene);
    },
    [scene],
  );
  const box = useWheel(p.onTime);
  const x = xOf(p.time, p.position);
  const down = (e: React.PointerEvent) => {
    if (e.button !== 0) return;
    const r = e.currentTarget.getBoundingClientRect();
    const at = sampleAt(p.time, e.clientX - r.left);
    const track = p.view.tracks[Math.floor((e.clientY - r.top) / trackHeight)];
    const clip = track && p.view.clips.find((c) => c.track === track.id && c.start <= at && at < c.start + c.length);
    e.currentTarget.setPointerCapture(e.pointerId);
    if (clip) setDrag({ clip, x: e.clientX, by: 0, moving: false });
    else p.onGo(onFrame(p.view, at));
    p.onSelect(track?.id ?? "", clip?.id ?? "");
  };
  const move = (e: React.PointerEvent) => {
    if (!drag) return;
    const pixels = e.clientX - drag.x;
    if (!drag.moving && Math.abs(pixels) < slack) return;
    const to = onFrame(p.view, drag.clip.start + pixels * p.time.perPixel);
    setDrag({ ...drag, moving: true, by: to - drag.clip.start });
  };
  const up = () => {
    if (drag?.moving && drag.by !== 0) p.onMove(drag.clip.id, drag.by);
    setDrag(null);
  };
  return (
    <div ref={box} className="relative w-full touch-none overflow-hidden" style={{ height: p.height }} onPointerDown={down} onPointerMove={move} onPointerUp={up} onPointerCancel={() => setDrag(null)}>
      <canvas ref={canvas} className="absolute inset-0 h-full w-full" />
      <span className="pointer-events-none absolute inset-y-0 w-[2px] bg-zest" style={{ left: x - 1 }} aria-hidden />
    </div>
  );
}
