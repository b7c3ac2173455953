import { useEffect, useMemo, useRef, useState } from "react";

import type { Clip, ReelView } from "../../api/client";
import { fit } from "../../draw/canvas";
import { onOverview } from "../../draw/overview";
import { player, usePlayer } from "../../listen/player";
import { useLight } from "../../ui/light";
import { frameAt, sampleOf } from "../../ui/timecode";
import { rulerHeight, sampleAt, stemHeight, trackHeight, xOf, zoom, type TimeView } from "./geometry";
import { paintRows, paintRuler, paintStems, type TakeWidths } from "./paint";

type Props = {
  view: ReelView;
  time: TimeView;
  takes: TakeWidths;
  selectedTrack: string;
  selectedClip: string;
  at: number; // where the shuttle stands while nothing plays
  onTime: (change: (v: TimeView) => TimeView) => void;
  onGo: (sample: number) => void;
  onSelect: (track: string, clip: string) => void;
  onMove: (clip: string, by: number) => void;
};

/** Where the shuttle is: where the reel plays, or where it stands. */
export function positionOf(reel: string, at: number): number {
  const s = player.snapshot();
  return s.playing?.what === "reel" && s.playing.id === reel ? s.position : at;
}

export function usePosition(reel: string, at: number): number {
  return usePlayer(() => positionOf(reel, at));
}

/** The shuttle's line across the rows. It alone is drawn again while playing. */
function ShuttleLine({ view, time, at }: { view: ReelView; time: TimeView; at: number }) {
  const x = xOf(time, usePosition(view.id, at));
  return <span className="pointer-events-none absolute inset-y-0 left-0 w-[2px] bg-zest" style={{ transform: `translateX(${x - 1}px)` }} aria-hidden />;
}

function ShuttleMark({ view, time, at }: { view: ReelView; time: TimeView; at: number }) {
  const x = xOf(time, usePosition(view.id, at));
  return (
    <svg className="pointer-events-none absolute bottom-0 left-0" style={{ transform: `translateX(${x - 7}px)` }} width={14} height={14} aria-hidden>
      <path d="M7 14 L1 6 L7 0 L13 6 Z" fill="var(--zest)" />
    </svg>
  );
}

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
export function Ruler(p: Pick<Props, "view" | "time" | "at" | "onTime" | "onGo" | "takes">) {
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
      <ShuttleMark view={p.view} time={p.time} at={p.at} />
    </div>
  );
}

const onFrame = (view: ReelView, sample: number) => sampleOf(frameAt(Math.max(0, sample), view.head.sampleRate, view.head.frameRate), view.head.sampleRate, view.head.frameRate);

/** How far a press may wander before it counts as a drag, in pixels. */
const slack = 4;

/** The stems in time, below the tracks. */
export function StemTime(p: Pick<Props, "view" | "time" | "at" | "onTime" | "onGo" | "takes">) {
  const scene = { ...p, selectedTrack: "", selectedClip: "", drag: null };
  const canvas = useCanvas(
    (c) => {
      const s = fit(c);
      if (s) paintStems(s.g, s.width, scene);
    },
    [p.view, p.time, p.takes],
  );
  const box = useWheel(p.onTime);
  return (
    <div ref={box} className="relative w-full overflow-hidden" style={{ height: p.view.stems.length * stemHeight }} onPointerDown={(e) => p.onGo(onFrame(p.view, sampleAt(p.time, e.clientX - e.currentTarget.getBoundingClientRect().left)))}>
      <canvas ref={canvas} className="absolute inset-0 h-full w-full" />
      <ShuttleLine view={p.view} time={p.time} at={p.at} />
    </div>
  );
}

/** Tracks in time. Clips are selected by a press and moved, with all that is tied to them, by dragging. */
export function TimeArea(p: Props) {
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
    <div ref={box} className="relative w-full shrink-0 grow touch-none overflow-hidden" style={{ minHeight: p.view.tracks.length * trackHeight }} onPointerDown={down} onPointerMove={move} onPointerUp={up} onPointerCancel={() => setDrag(null)}>
      <canvas ref={canvas} className="absolute inset-0 h-full w-full" />
      <ShuttleLine view={p.view} time={p.time} at={p.at} />
    </div>
  );
}
