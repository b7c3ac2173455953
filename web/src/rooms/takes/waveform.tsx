import type { Channel, Take } from "../../api/client";
import { colour, dye, fit } from "../../draw/canvas";
import { useCanvas } from "../../draw/usecanvas";
import { paintWave } from "../../draw/wave";
import { player, usePlayer } from "../../listen/player";
import { sampleAt, xOf } from "../loom/ground/geometry";
import { useScroll } from "../loom/ground/scroll";
import { ShuttleLine } from "../loom/ground/shuttleline";
import { useWheel } from "../loom/ground/wheel";
import { useBoardTime } from "./boardtime";
import { stemOf } from "./reading";
import { usePress, type At } from "../../ui/press";

/** How far the pointer goes before a press with Shift is a range, in pixels. */
const least = 3;

/**
 * One channel of a take, a column for each pixel: its peaks, and as the darker body its RMS. Pressing plays it alone from
 * there for as long as it is held; Shift and dragging chooses a range of all channels.
 */
export function Waveform({ take, channel: c, muted }: { take: Take; channel: Channel; muted: boolean }) {
  const { view, scroll, range, onRange } = useBoardTime();
  const time = useScroll(scroll);
  const heard = usePlayer((s) => s.playing?.what === "take" && s.playing.id === take.id && s.playing.channels.includes(c.index - 1));
  const loudest = Math.max(-40, ...take.channels.map((ch) => ch.peakDBFS ?? -40));
  const scale = 0.95 / 10 ** (loudest / 20);
  const stem = stemOf(c);
  const { start } = view.head;
  const canvas = useCanvas(
    (el) => {
      const surface = fit(el);
      if (!surface) return;
      const { g, width, height } = surface;
      if (range) {
        g.fillStyle = colour("--zest");
        g.globalAlpha = 0.16;
        const x = xOf(time, range.from);
        g.fillRect(x, 0, Math.max(2, xOf(time, range.to) - x), height);
      }
      g.fillStyle = muted ? colour("--muted") : dye(stem);
      const place = {
        first: Math.max(0, Math.floor(xOf(time, start))),
        last: Math.min(width, xOf(time, view.end)),
        middle: height / 2,
        half: height / 2,
        from: sampleAt(time, 0) - start,
        perPixel: time.perPixel,
      };
      paintWave(g, { take: take.id, channels: take.channels.length, channel: c.index - 1 }, place, scale, muted);
    },
    [take.id, c.index, stem, muted, scale, time, range, view],
  );
  const box = useWheel(scroll);
  const place = (at: At) => Math.round(Math.min(view.end, Math.max(start, sampleAt(time, at.x))));
  const hands = usePress((at) => {
    const from = place(at);
    if (!at.shiftKey) {
      void player.playTake(take.id, [c.index - 1], from - start);
      return { tap: player.stop, cancel: player.stop };
    }
    onRange(null);
    const to = (at: At) =>
      Math.abs(place(at) - from) >= least * time.perPixel && onRange({ from: Math.min(from, place(at)), to: Math.max(from, place(at)) });
    return { slack: 0, drag: to, drop: to, cancel: () => onRange(null) };
  });
  return (
    <div
      ref={box}
      className="relative h-full min-h-11 cursor-pointer touch-none overflow-hidden py-0.5"
      role="button"
      tabIndex={0}
      aria-label={`Listen to channel ${c.index}, ${c.name || "unnamed"}`}
      {...hands}
      onKeyDown={(e) => {
        if (e.key !== "Enter" && e.key !== " ") return;
        e.preventDefault();
        e.stopPropagation();
        if (heard) player.stop();
        else void player.playTake(take.id, [c.index - 1], range ? range.from - start : 0);
      }}
    >
      <canvas ref={canvas} className="absolute inset-0 h-full w-full" />
      {heard && <ShuttleLine view={view} time={time} at={start} />}
    </div>
  );
}
