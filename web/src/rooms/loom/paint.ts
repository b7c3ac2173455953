// Paints the time side of the Loom: ruler, clips with their threads, stems.
import type { ReelView } from "../../api/client";
import { colour, dye, threadStep, threadWidth } from "../../draw/canvas";
import { extent, levelFor, type Extent } from "../../draw/overview";
import { label } from "../../ui/timecode";
import { frameAt, sampleOf } from "../../ui/timecode";
import { rulerStep, stemHeight, trackHeight, xOf, type TimeView } from "./geometry";

/** Channels of each take, by ID. */
export type TakeWidths = Map<string, number>;

export type Scene = {
  view: ReelView;
  time: TimeView;
  takes: TakeWidths;
  selectedTrack: string;
  selectedClip: string;
  /** A clip that is being dragged, with how far in samples. */
  drag: { tie: string; clip: string; by: number } | null;
};

export function paintRuler(g: CanvasRenderingContext2D, width: number, height: number, s: Scene) {
  const { head } = s.view;
  const base = Math.ceil(head.frameRate.num / head.frameRate.den);
  const perFrame = (head.sampleRate * head.frameRate.den) / head.frameRate.num;
  const step = rulerStep(s.time, perFrame, base);
  g.font = "12px 'Spline Sans Mono Variable', monospace";
  g.textBaseline = "middle";
  const first = Math.max(0, Math.floor(frameAt(Math.max(0, s.time.left), head.sampleRate, head.frameRate) / step) * step);
  for (let frame = first; ; frame += step) {
    const x = Math.round(xOf(s.time, sampleOf(frame, head.sampleRate, head.frameRate))) + 0.5;
    if (x > width) break;
    g.fillStyle = colour("--line");
    g.fillRect(x - 0.5, height - 14, 1, 14);
    g.fillStyle = colour("--ink");
    g.fillText(label(frame, head.frameRate), x + 5, height - 14);
  }
}

export function paintRows(g: CanvasRenderingContext2D, width: number, s: Scene) {
  const { view, time } = s;
  const line = colour("--line");
  const paper = colour("--paper");
  view.tracks.forEach((t, row) => {
    const y = row * trackHeight;
    if (t.id === s.selectedTrack) {
      g.fillStyle = paper;
      g.fillRect(0, y, width, trackHeight);
    }
    g.fillStyle = line;
    g.fillRect(0, y + trackHeight - 1, width, 1);
  });
  const start = xOf(time, view.head.start);
  if (start > 0) {
    g.save();
    g.globalAlpha = 0.35;
    g.fillStyle = line;
    g.fillRect(0, 0, Math.min(width, start), view.tracks.length * trackHeight);
    g.restore();
  }
  const rowOf = new Map(view.tracks.map((t, i) => [t.id, i]));
  for (const c of view.clips) {
    const row = rowOf.get(c.track);
    const track = view.tracks[row ?? -1];
    if (row === undefined || !track) continue;
    const moved = s.drag && (c.id === s.drag.clip || (c.tie !== "" && c.tie === s.drag.tie)) ? s.drag.by : 0;
    const x0 = xOf(time, c.start + moved);
    const x1 = xOf(time, c.start + moved + c.length);
    if (x1 < 0 || x0 > width) continue;
    const y = row * trackHeight + 4;
    const height = trackHeight - 9;
    const dyed = dye(track.stem);
    const faded = track.mute ? 0.35 : 1;
    g.save();
    g.globalAlpha = (c.id === s.selectedClip ? 0.3 : 0.14) * faded;
    g.fillStyle = dyed;
    g.fillRect(x0, y, x1 - x0, height);
    g.globalAlpha = faded;
    g.fillRect(x0, y, x1 - x0, 2);
    if (c.id === s.selectedClip) {
      g.strokeStyle = dyed;
      g.strokeRect(x0 + 0.5, y + 0.5, x1 - x0 - 1, height - 1);
    }
    g.beginPath();
    g.rect(x0, y, x1 - x0, height);
    g.clip();
    threads(g, Math.max(0, x0), Math.min(width, x1), y + 2, height - 2, (x) => {
      const from = c.offset + (x - x0) * time.perPixel;
      return widest(s, c.take, c.channels, from, from + threadStep * time.perPixel);
    });
    if (x1 - x0 > 60) {
      g.font = "11px 'Hanken Grotesk Variable', sans-serif";
      g.textBaseline = "top";
      const words = c.tie ? `${c.name} · tied` : c.name;
      const room = Math.min(x1 - x0 - 8, g.measureText(words).width + 8);
      g.globalAlpha = 0.85;
      g.fillStyle = colour("--ground");
      g.fillRect(Math.max(0, x0), y + 2, room, 14);
      g.globalAlpha = 1;
      g.fillStyle = colour("--muted");
      g.fillText(words, Math.max(0, x0) + 4, y + 3);
    }
    g.restore();
  }
}

/** Each stem as the sum of what its tracks play. */
export function paintStems(g: CanvasRenderingContext2D, width: number, s: Scene) {
  const { view, time } = s;
  view.stems.forEach((stem, i) => {
    const y = i * stemHeight;
    g.fillStyle = dye(stem.id);
    const clips = view.clips.filter((c) => view.tracks.some((t) => t.id === c.track && t.stem === stem.id && !t.mute));
    g.globalAlpha = 0.8;
    threads(g, 0, width, y + 4, stemHeight - 8, (x) => {
      const from = time.left + x * time.perPixel;
      const to = from + threadStep * time.perPixel;
      let sum: Extent | null = { low: 0, high: 0 };
      for (const c of clips) {
        if (c.start >= to || c.start + c.length <= from) continue;
        const e = widest(s, c.take, c.channels, from - c.start + c.offset, to - c.start + c.offset);
        if (e) sum = { low: Math.min(sum.low, e.low), high: Math.max(sum.high, e.high) };
      }
      return sum;
    });
    g.globalAlpha = 1;
  });
}

/** The extent over several channels of a take: one thread for a bonded set. */
function widest(s: Scene, take: string, channels: number[], from: number, to: number): Extent | null {
  const width = s.takes.get(take);
  if (!width) return null;
  const detail = levelFor(s.time.perPixel * threadStep);
  let all: Extent | null = null;
  for (const ch of channels) {
    const e = extent(take, width, ch, detail, from, to);
    if (e) all = all ? { low: Math.min(all.low, e.low), high: Math.max(all.high, e.high) } : e;
  }
  return all;
}

/** Draws upright threads as high as the sound. They stand still on the screen's own grid, so scrolling does not flicker. */
function threads(g: CanvasRenderingContext2D, from: number, to: number, y: number, height: number, at: (x: number) => Extent | null) {
  for (let x = Math.floor(from / threadStep) * threadStep; x < to; x += threadStep) {
    const e = at(x);
    const size = e ? Math.max(1, Math.min(1, Math.max(-e.low, e.high) * 1.5) * height) : 1;
    g.fillRect(x, y + (height - size) / 2, threadWidth, size);
  }
}
