import { useEffect, useMemo, useRef } from "react";

import type { Channel, Take } from "../../api/client";
import { colour, dye, fit, threadStep, threadWidth } from "../../draw/canvas";
import { extent, levelFor, onOverview } from "../../draw/overview";
import { player, usePlayer } from "../../listen/player";
import { useLight } from "../../ui/light";
import { stemOf } from "./reading";

/** The whole take of one channel. Pressing plays it alone from there for as long as it is held. */
export function Waveform({ take, channel: c, muted }: { take: Take; channel: Channel; muted: boolean }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const light = useLight();
  const frames = take.description.frames;
  const heard = usePlayer((s) =>
    s.playing?.what === "take" && s.playing.id === take.id && s.playing.channels.includes(c.index - 1) ? s.position : -1,
  );
  const place = heard >= 0 ? heard / frames : null;
  const loudest = Math.max(-40, ...take.channels.map((ch) => ch.peakDBFS ?? -40));
  const scale = 0.95 / 10 ** (loudest / 20);
  const stem = stemOf(c);
  const paint = useMemo(
    () => () => {
      const surface = canvas.current && fit(canvas.current);
      if (!surface) return;
      const { g, width, height } = surface;
      g.fillStyle = muted ? colour("--muted") : dye(stem);
      g.globalAlpha = muted ? 0.55 : 1;
      const perPixel = frames / width;
      const detail = levelFor(perPixel * threadStep);
      for (let x = 0; x < width; x += threadStep) {
        const e = extent(take.id, take.channels.length, c.index - 1, detail, x * perPixel, (x + threadStep) * perPixel);
        const size = e ? Math.max(1, Math.min(1, Math.max(-e.low, e.high) * scale) * height) : 1;
        g.fillRect(x, (height - size) / 2, threadWidth, size);
      }
    },
    [take.id, take.channels.length, c.index, stem, muted, frames, scale],
  );
  // biome-ignore lint/correctness/useExhaustiveDependencies: runs for these alone
  useEffect(() => {
    paint();
    const observer = new ResizeObserver(paint);
    observer.observe(canvas.current!);
    const stop = onOverview(paint);
    return () => {
      observer.disconnect();
      stop();
    };
  }, [paint, light]);
  const press = (e: React.PointerEvent) => {
    if (e.button !== 0) return;
    e.currentTarget.setPointerCapture(e.pointerId);
    const box = e.currentTarget.getBoundingClientRect();
    void player.playTake(take.id, [c.index - 1], ((e.clientX - box.left) / box.width) * frames);
  };
  return (
    <div
      className="relative h-full min-h-11 cursor-pointer touch-none py-0.5"
      role="button"
      tabIndex={0}
      aria-label={`Listen to channel ${c.index}, ${c.name || "unnamed"}`}
      onPointerDown={press}
      onPointerUp={() => player.stop()}
      onPointerCancel={() => player.stop()}
      onKeyDown={(e) => {
        if (e.key !== "Enter" && e.key !== " ") return;
        e.preventDefault();
        e.stopPropagation();
        if (heard >= 0) player.stop();
        else void player.playTake(take.id, [c.index - 1], 0);
      }}
    >
      <canvas ref={canvas} className="h-full w-full" />
      {place !== null && <span className="pointer-events-none absolute inset-y-0 w-0.5 bg-zest" style={{ left: `${place * 100}%` }} />}
    </div>
  );
}
