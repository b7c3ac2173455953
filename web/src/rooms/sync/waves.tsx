import { useEffect, useRef } from "react";

import type { Take } from "../../api/client";
import { colour, dye, fit, threadStep, threadWidth } from "../../draw/canvas";
import { binFrames, extent, levelFor, onOverview } from "../../draw/overview";
import { onSamples, sampleAt } from "../../draw/samples";
import { useLight } from "../../ui/light";
import { usePress, type At } from "../../ui/press";

export type View = { centre: number; span: number }; // frames of the reference

/** A waveform between two frames of a take, in a band of a canvas: as threads from afar, as a line from near. */
function wave(
  g: CanvasRenderingContext2D,
  take: Take,
  channel: number,
  from: number,
  perPixel: number,
  width: number,
  top: number,
  height: number,
) {
  const middle = top + height / 2;
  if (perPixel >= binFrames[0] / threadStep) {
    const detail = levelFor(perPixel * threadStep);
    const channels = channel > 0 ? [channel - 1] : take.channels.map((_, i) => i);
    const at = (x: number) =>
      channels.map((c) => extent(take.id, take.channels.length, c, detail, from + x * perPixel, from + (x + threadStep) * perPixel));
    let loudest = 0.01;
    const sizes: number[] = [];
    for (let x = 0; x < width; x += threadStep) {
      const begin = from + x * perPixel;
      const inside = begin + threadStep * perPixel > 0 && begin < take.description.frames;
      const size = inside ? Math.max(0, ...at(x).map((e) => (e ? Math.max(-e.low, e.high) : 0))) : -1;
      sizes.push(size);
      loudest = Math.max(loudest, size);
    }
    sizes.forEach((size, i) => {
      if (size < 0) return;
      const h = Math.max(1, (size / loudest) * height * 0.94);
      g.fillRect(i * threadStep, middle - h / 2, threadWidth, h);
    });
    return;
  }
  const samples: (number | null)[] = [];
  let loudest = 0.003;
  const first = Math.floor(from);
  const count = Math.ceil(width * perPixel) + 2;
  for (let i = 0; i < count; i++) {
    const frame = first + i;
    const v = frame < 0 || frame >= take.description.frames ? null : sampleAt(take.id, channel, frame);
    samples.push(v);
    if (v !== null) loudest = Math.max(loudest, Math.abs(v));
  }
  g.beginPath();
  let drawing = false;
  samples.forEach((v, i) => {
    if (v === null) {
      drawing = false;
      return;
    }
    const x = (first + i - from) / perPixel;
    const y = middle - (v / loudest) * height * 0.47;
    if (drawing) g.lineTo(x, y);
    else g.moveTo(x, y);
    drawing = true;
  });
  g.lineWidth = 1.5;
  g.stroke();
}

/** The reference above and the take below on one axis. Dragging the lower one moves the take. */
export function Waves(p: {
  reference: Take;
  take: Take;
  channel: number;
  offset: number;
  view: View;
  playhead: number | null;
  onDrag: (offset: number) => void;
}) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const light = useLight();
  const { reference, take, channel, offset, view } = p;
  // biome-ignore lint/correctness/useExhaustiveDependencies: painted anew by day and by night
  useEffect(() => {
    const paint = () => {
      const surface = canvas.current && fit(canvas.current);
      if (!surface) return;
      const { g, width, height } = surface;
      const perPixel = view.span / width;
      const from = view.centre - view.span / 2;
      const band = height / 2 - 3;
      g.fillStyle = colour("--line");
      g.fillRect(0, height / 2 - 0.5, width, 1);
      g.fillStyle = g.strokeStyle = colour("--ink");
      wave(g, reference, 0, from, perPixel, width, 0, band);
      g.fillStyle = g.strokeStyle = dye("DX");
      wave(g, take, channel, from - offset, perPixel, width, height / 2 + 3, band);
    };
    paint();
    const observer = new ResizeObserver(paint);
    observer.observe(canvas.current!);
    const stops = [onOverview(paint), onSamples(paint)];
    return () => {
      observer.disconnect();
      stops.forEach((s) => s());
    };
  }, [reference, take, channel, offset, view, light]);
  const hands = usePress((from, e) => {
    const perPixel = view.span / e.currentTarget.clientWidth;
    const to = (at: At) => p.onDrag(Math.round(offset + (at.clientX - from.clientX) * perPixel));
    return { slack: 1, drag: to, drop: to, cancel: () => p.onDrag(offset) };
  });
  const place = p.playhead === null ? null : (p.playhead - (view.centre - view.span / 2)) / view.span;
  return (
    <div className="relative h-full w-full cursor-ew-resize touch-none" title="Drag to move the take against its reference" {...hands}>
      <canvas ref={canvas} className="h-full w-full" role="img" aria-label="The reference above, the take below" />
      {place !== null && place >= 0 && place <= 1 && (
        <span className="pointer-events-none absolute inset-y-0 w-0.5 bg-zest" style={{ left: `${place * 100}%` }} />
      )}
    </div>
  );
}
