// Paints the time side of the Loom: ruler, clips with their threads, opened channels, curves, stems.
import type { Clip, Fade, Point, ReelView, Track } from "../../../api/client";
import { colour, dye, threadStep, threadWidth } from "../../../draw/canvas";
import { arrivedSoFar, type Extent } from "../../../draw/overview";
import { countOf, frameAt, frameOfCount, label, sampleOf } from "../../../ui/timecode";
import { slipOf, slipSign, type Choice } from "../ground/choice";
import { fadeAt, level, pointsOf, restOf, shownOf, yOfValue, type CurveView, type Parameter } from "../ground/curves";
import { tracksIn, type BandRow } from "../ground/band";
import { busOf, trackOf } from "../ground/lookup";
import { rulerStep, sampleAt as sampleOfX, xOf, type Timed, type TimeView } from "../ground/geometry";
import { dirtyRows, paintedOf, type Painted } from "./dirty";
import { onsetsOf } from "../ground/snap";
import { channelIn, clipIn, rawAt, tallOf, trackGain, type Heights } from "./sounding";
import { takenIn, type Taken } from "./taken";
import { clipsIn, laneHeight, worked, type Rows, type TrackRow } from "../ground/rows";

/** Channels of each take, by ID. */
export type TakeWidths = Map<string, number>;

/** How a clip looks while something is dragged; undefined where it is as it is. */
export type Preview = (
  c: Clip,
) => Partial<Pick<Clip, "start" | "offset" | "length" | "track" | "fadeIn" | "fadeOut" | "gain" | "pan">> | undefined;

export type Scene = {
  view: ReelView;
  time: TimeView;
  takes: TakeWidths;
  rows: Rows;
  choice: Choice;
  preview: Preview | null;
  curves: CurveView;
  /** Points of a track's curve while one of them is dragged. */
  drawn: { id: string; points: Point[] } | null;
  /** What the chain that is opened takes away. */
  taken: Taken | null;
  /** How tall what sounds on a track is drawn; of no track, in the band. */
  heights: (track: string) => Heights;
  /** What heights are of: the same as long as they are. */
  waves: unknown;
  /** Where sounds begin is shown, as things catch there. */
  onsets: boolean;
};

export type RulerScene = Pick<Scene, "time"> & { view: Timed; range: { from: number; to: number } | null; loop: boolean };

const words = "11px 'Hanken Grotesk Variable', sans-serif";
const figures = "11px 'Spline Sans Mono Variable', monospace";

export function paintRuler(g: CanvasRenderingContext2D, width: number, height: number, s: RulerScene) {
  const { head } = s.view;
  const base = Math.ceil(head.frameRate.num / head.frameRate.den);
  const perFrame = (head.sampleRate * head.frameRate.den) / head.frameRate.num;
  const step = rulerStep(s.time, perFrame, base);
  if (s.range) {
    const x = xOf(s.time, s.range.from);
    g.fillStyle = colour("--zest");
    g.globalAlpha = s.loop ? 0.45 : 0.22;
    g.fillRect(x, height - 6, Math.max(2, xOf(s.time, s.range.to) - x), 6);
    g.globalAlpha = 1;
  }
  for (const m of s.view.marks) {
    const x = Math.round(xOf(s.time, m.at));
    const x1 = xOf(s.time, m.at + (m.length ?? 0));
    if (x1 < -80 || x > width) continue;
    g.font = words;
    g.textBaseline = "middle";
    const room = Math.min(140, g.measureText(m.name).width) + 10;
    g.fillStyle = colour("--ink");
    g.fillRect(x, 4, 1.5, 20);
    if (m.length) g.fillRect(x, 4, Math.max(2, x1 - x), 2);
    g.fillStyle = colour("--paper");
    g.strokeStyle = colour("--ink");
    g.beginPath();
    g.moveTo(x + 1, 4.5);
    g.lineTo(x + room, 4.5);
    g.lineTo(x + room + 5, 12);
    g.lineTo(x + room, 19.5);
    g.lineTo(x + 1, 19.5);
    g.closePath();
    g.fill();
    g.stroke();
    g.fillStyle = colour("--ink");
    g.save();
    g.beginPath();
    g.rect(x, 4, room, 16);
    g.clip();
    g.fillText(m.name, x + 5, 12.5);
    g.restore();
  }
  g.font = "12px 'Spline Sans Mono Variable', monospace";
  g.textBaseline = "middle";
  const first = Math.max(
    0,
    Math.floor(countOf(frameAt(Math.max(0, s.time.left), head.sampleRate, head.frameRate), head.frameRate) / step) * step,
  );
  const room = g.measureText("00:00:00:00").width + 6;
  for (let count = first; ; count += step) {
    const frame = frameOfCount(count, head.frameRate); // drop-frame leaves counts out, and the ruler counts by labels
    const x = Math.round(xOf(s.time, sampleOf(frame, head.sampleRate, head.frameRate))) + 0.5;
    if (x > width) break;
    g.fillStyle = colour("--line");
    g.fillRect(x - 0.5, height - 14, 1, 14);
    g.fillStyle = colour("--ink");
    if (x >= 0 && x + room <= width) g.fillText(label(frame, head.frameRate), x + 5, height - 14); // none is cut
  }
}

/**
 * Paints the rows that are in view; scroll is how far down the view begins. Of a canvas that has them from before, painted of `was`, only those that differ.
 * Gives what it has painted of.
 */
export function paintRows(
  g: CanvasRenderingContext2D,
  width: number,
  height: number,
  scroll: number,
  s: Scene,
  was: Painted | null = null,
): Painted {
  const { view, time, rows } = s;
  const moved = s.preview ? view.clips.filter((c) => s.preview!(c)) : [];
  const ratio = g.getTransform().a;
  const now = paintedOf(s, [g.canvas, width, height, scroll, ratio, arrivedSoFar(), document.documentElement.dataset.light], moved);
  const sharp = Number.isInteger(ratio) && Number.isInteger(scroll); // else rows share pixels
  const dirty = sharp ? dirtyRows(was, now) : null;
  if (dirty?.size === 0) return now;
  const theme = {
    line: colour("--line"),
    paper: colour("--paper"),
    ground: colour("--ground"),
    ink: colour("--ink"),
    muted: colour("--muted"),
    zest: colour("--zest"),
    wrong: colour("--wrong"),
    band: colour("--band"),
  };
  g.save();
  g.translate(0, -scroll);
  if (dirty) {
    const part = new Path2D();
    for (const row of rows.list) if (dirty.has(row.id)) part.rect(0, row.y, width, row.height);
    g.clip(part);
  }
  g.clearRect(0, scroll, width, height);
  const from = time.left;
  const to = time.left + width * time.perPixel;
  const start = xOf(time, view.head.start);
  for (const row of rows.list) {
    if (row.y + row.height < scroll || row.y > scroll + height || (dirty && !dirty.has(row.id))) continue;
    if (row.kind === "folder") {
      g.fillStyle = theme.band;
      g.fillRect(0, row.y, width, row.height);
      g.fillStyle = theme.line;
      g.fillRect(0, row.y + row.height - 1, width, 1);
      if (row.folded) for (const t of row.tracks) for (const c of rows.clips.get(t.id) ?? []) strip(g, s, c, t, row.y + 8, 8);
      continue;
    }
    const t = row.track;
    if (t.id === s.choice.track) {
      g.fillStyle = theme.paper;
      g.fillRect(0, row.y, width, row.height);
    }
    if (start > 0) {
      g.globalAlpha = 0.35;
      g.fillStyle = theme.line;
      g.fillRect(0, row.y, Math.min(width, start), row.height);
      g.globalAlpha = 1;
    }
    g.fillStyle = theme.line;
    g.fillRect(0, row.y + row.height - 1, width, 1);
    const clips = clipsIn(rows.clips.get(t.id) ?? [], from, to);
    for (const c of clips) {
      const change = s.preview?.(c);
      if (!change) paintClip(g, width, s, c, row, theme);
    }
    for (const c of moved) {
      const change = s.preview!(c)!;
      if ((change.track ?? c.track) === t.id) paintClip(g, width, s, { ...c, ...change }, row, theme);
    }
    if (s.taken?.of.row === "track" && s.taken.of.id === t.id) takenAway(g, s.taken, time, 0, width, row.y + 4, row.body - 9, theme.ink);
    overlaps(g, s, clips, row, theme.wrong);
    const shown = shownOf(s.curves);
    if (shown?.of === "track") {
      const points = s.drawn?.id === t.id ? s.drawn.points : pointsOf(t, shown.what);
      curve(g, points, (at) => xOf(time, at), 0, width, row, shown.what, theme.zest, restOf(t, shown.what));
    }
  }
  range(g, s, theme.zest);
  g.strokeStyle = theme.ink;
  g.setLineDash([2, 4]);
  g.globalAlpha = 0.5;
  for (const m of view.marks) {
    const x = Math.round(xOf(time, m.at)) + 0.5;
    if (x < 0 || x > width) continue;
    g.beginPath();
    g.moveTo(x, scroll);
    g.lineTo(x, scroll + height);
    g.stroke();
  }
  g.restore();
  return now;
}

type Theme = { line: string; paper: string; ground: string; ink: string; muted: string; zest: string; wrong: string; band: string };

/** How many dB of what is taken away take the whole height of a row. */
const takenHeight = 24;

/** What a chain takes away, hanging from the top; what it adds stands on the foot. */
function takenAway(g: CanvasRenderingContext2D, t: Taken, time: TimeView, x0: number, x1: number, y: number, height: number, fill: string) {
  g.save();
  g.fillStyle = fill;
  g.strokeStyle = fill;
  g.lineWidth = 1.25;
  const edge = new Path2D();
  let drawing = false;
  for (let x = Math.floor(x0); x < x1; x++) {
    const from = time.left + x * time.perPixel;
    const dB = takenIn(t, from, from + time.perPixel);
    const tall = Math.min(1, Math.abs(dB ?? 0) / takenHeight) * height;
    const foot = (dB ?? 0) > 0;
    g.globalAlpha = 0.14;
    if (tall > 0) g.fillRect(x, foot ? y + height - tall : y, 1, tall);
    if (dB === null || Math.abs(dB) < 0.05) {
      drawing = false;
      continue;
    }
    const at = foot ? y + height - tall : y + tall;
    if (drawing) edge.lineTo(x + 0.5, at);
    else edge.moveTo(x + 0.5, at);
    drawing = true;
  }
  g.globalAlpha = 0.75;
  g.stroke(edge);
  g.restore();
}

/** A clip of a shut folder, as a thin strip. */
function strip(g: CanvasRenderingContext2D, s: Scene, c: Clip, t: Track, y: number, height: number) {
  g.fillStyle = dye(t.stem);
  g.globalAlpha = 0.35;
  g.fillRect(xOf(s.time, c.start), y, Math.max(1, c.length / s.time.perPixel), height);
  g.globalAlpha = 1;
}

function paintClip(g: CanvasRenderingContext2D, width: number, s: Scene, c: Clip, row: TrackRow, theme: Theme) {
  const { time } = s;
  const x0 = xOf(time, c.start);
  const x1 = xOf(time, c.start + c.length);
  if (x1 < 0 || x0 > width) return;
  const track = row.track;
  const y = row.y + 4;
  const height = row.body - 9;
  const dyed = dye(track.stem);
  const strength = track.mute || c.mute ? 0.35 : 1;
  const chosen = s.choice.clips.includes(c.id);
  g.save();
  const slight = x1 - x0 < 4; // too narrow for anything but its colour
  g.globalAlpha = (slight ? 0.5 : chosen ? 0.32 : 0.14) * strength;
  g.fillStyle = dyed;
  g.fillRect(x0, y, Math.max(1, x1 - x0), height);
  g.globalAlpha = strength;
  g.fillRect(x0, y, Math.max(1, x1 - x0), 2);
  if (x1 - x0 < 3) {
    g.restore();
    return;
  }
  g.strokeStyle = dyed;
  g.globalAlpha = chosen ? 1 : 0.5 * strength;
  g.strokeRect(x0 + 0.5, y + 0.5, x1 - x0 - 1, height - 1);
  g.beginPath();
  g.rect(x0, y, x1 - x0, height);
  g.clip();
  g.globalAlpha = strength;
  g.fillStyle = dyed;
  const raw = rawAt(time.perPixel, s.takes);
  const unfaded = { ...c, fadeIn: undefined, fadeOut: undefined };
  const box = { x0, x1, y, height };
  faded(g, width, s, c, box, track.id, theme, (from, to) => clipIn(raw, unfaded, track.labels, from, to));
  sound(g, s, Math.max(0, x0), Math.min(width, x1), y + 2, height - 4, track.id, (from, to) => clipIn(raw, c, track.labels, from, to));
  fadeLines(g, s, c, box, theme);
  if (s.onsets) onsets(g, s, c, width, y + height - 7, theme);
  stitches(g, s, c, x0, y + height - 4, theme);
  if (x1 - x0 > 46 && row.body >= 30) face(g, s, c, Math.max(0, x0), Math.min(width, x1), y, track, theme);
  const of = s.taken?.of;
  if (of?.id === c.id && (of.row === "microphone" || (of.row === "clip" && of.channel === undefined)))
    takenAway(g, s.taken!, time, Math.max(0, x0), Math.min(width, x1), y, height, theme.ink);
  const shown = shownOf(s.curves);
  if (shown?.of === "clip") {
    const { what } = shown;
    curve(
      g,
      pointsOf(c, what),
      (at) => x0 + (at - c.offset) / time.perPixel,
      Math.max(0, x0),
      Math.min(width, x1),
      row,
      what,
      theme.ink,
      0,
    );
  }
  g.restore();
  if (s.rows.opened.has(c.id)) for (let i = 0; i < c.channels.length; i++) lane(g, width, s, c, i, row, theme);
}

/** What stands on a clip: its name, what it is tied to, what was done with it, and how far it is out of sync. */
function face(g: CanvasRenderingContext2D, s: Scene, c: Clip, x0: number, x1: number, y: number, track: Track, theme: Theme) {
  const slip = slipOf(c);
  const name = [
    c.name,
    c.mute && "muted",
    c.tie ? (c.picture ? "tied, picture" : "tied") : c.was ? "untied" : c.picture && "picture",
    c.gainDB && `${c.gainDB > 0 ? "+" : "−"}${Math.abs(c.gainDB)} dB`,
    c.channels.length > 1 && !s.rows.opened.has(c.id) && `${c.channels.length} ch`,
    worked(c) && "worked on",
    c.settled?.length && "settled",
  ]
    .filter(Boolean)
    .join(" · ");
  g.textBaseline = "top";
  let x = x0 + 3;
  const tag = (text: string, fill: string, ink: string, font: string) => {
    g.font = font;
    const room = Math.min(x1 - x - 2, g.measureText(text).width + 8);
    if (room < 14) return;
    g.globalAlpha = 0.9;
    g.fillStyle = fill;
    g.fillRect(x, y + 2, room, 14);
    g.globalAlpha = 1;
    g.fillStyle = ink;
    g.save();
    g.beginPath();
    g.rect(x, y + 2, room - 2, 14);
    g.clip();
    g.fillText(text, x + 4, y + 3.5);
    g.restore();
    x += room + 2;
  };
  if (slip !== 0) tag(slipSign(s.view, slip), theme.wrong, theme.paper, figures);
  if (c.stem && c.stem !== track.stem) tag(`${c.stem}?`, theme.paper, theme.wrong, figures);
  tag(name, theme.ground, theme.muted, words);
}

type Faded = { fadeIn?: Fade; fadeOut?: Fade };
type Box = { x0: number; x1: number; y: number; height: number };

/** What both fades take away, shaded, and in it, faintly, the sound as it would be without them: what sounds is drawn over it. */
function faded(
  g: CanvasRenderingContext2D,
  width: number,
  s: Scene,
  of: Faded,
  { x0, x1, y, height }: Box,
  track: string,
  theme: Theme,
  whole: At,
) {
  const under = (f: Fade | undefined, x: number, sign: 1 | -1) => {
    const path = f && fadePath(f, x, sign, y, height, s.time);
    if (!path) return;
    const wide = (sign * f.length) / s.time.perPixel;
    path.lineTo(x + wide, y);
    path.lineTo(x, y);
    path.lineTo(x, y + height);
    g.save();
    g.fillStyle = theme.ground;
    g.globalAlpha = 0.7;
    g.fill(path);
    g.restore();
    g.save();
    g.globalAlpha *= 0.3;
    const [from, to] = [Math.max(0, x0, Math.min(x, x + wide)), Math.min(width, x1, Math.max(x, x + wide))];
    sound(g, s, from, to, y + 2, height - 4, track, whole);
    g.restore();
  };
  under(of.fadeIn, x0, 1);
  under(of.fadeOut, x1, -1);
}

function fadeLines(g: CanvasRenderingContext2D, s: Scene, of: Faded, { x0, x1, y, height }: Box, theme: Theme) {
  g.save();
  g.strokeStyle = theme.ink;
  g.globalAlpha = 0.85;
  g.lineWidth = 1;
  for (const path of [
    of.fadeIn && fadePath(of.fadeIn, x0, 1, y, height, s.time),
    of.fadeOut && fadePath(of.fadeOut, x1, -1, y, height, s.time),
  ])
    if (path) g.stroke(path);
  g.restore();
}

/** The line of a fade; none where it is too short to be seen. sign is 1 for a fade in that begins at x, −1 for one out that ends there. */
function fadePath(f: Fade, x: number, sign: 1 | -1, y: number, height: number, time: TimeView): Path2D | null {
  const width = f.length / time.perPixel;
  if (width < 1.5) return null;
  const path = new Path2D();
  const steps = Math.min(40, Math.ceil(width / 3));
  for (let i = 0; i <= steps; i++) path.lineTo(x + (sign * width * i) / steps, y + height - fadeAt(f, (f.length * i) / steps) * height);
  return path;
}

/** A tick at the foot of a clip for each place where a sound begins. */
function onsets(g: CanvasRenderingContext2D, s: Scene, c: Clip, width: number, y: number, theme: Theme) {
  g.save();
  g.fillStyle = theme.ink;
  for (const at of onsetsOf([c], s.time.left, sampleOfX(s.time, width), s.time.perPixel))
    g.fillRect(Math.round(xOf(s.time, at)), y, 1.5, 7);
  g.restore();
}

/** Stitches along the foot of a clip show where something was done inside. */
function stitches(g: CanvasRenderingContext2D, s: Scene, c: Clip, x0: number, y: number, theme: Theme) {
  if (!worked(c)) return;
  g.save();
  g.strokeStyle = theme.ink;
  g.lineWidth = 2;
  g.setLineDash([4, 3]);
  const line = (from: number, to: number) => {
    g.beginPath();
    g.moveTo(x0 + (from - c.offset) / s.time.perPixel, y);
    g.lineTo(x0 + (to - c.offset) / s.time.perPixel, y);
    g.stroke();
  };
  for (const l of c.lanes ?? []) {
    if (l.off || l.gainDB || l.invert || l.delay || l.fadeIn || l.fadeOut) line(c.offset, c.offset + c.length);
    for (const r of [...(l.hushes ?? []), ...(l.dips ?? []), ...(l.borrowed ?? [])]) line(r.from, r.to);
  }
  g.restore();
}

/** One channel of an opened clip, below its face. */
function lane(g: CanvasRenderingContext2D, width: number, s: Scene, c: Clip, channel: number, row: TrackRow, theme: Theme) {
  const { time } = s;
  const l = c.lanes?.[channel] ?? {};
  const x0 = xOf(time, c.start);
  const x1 = xOf(time, c.start + c.length);
  const y = row.y + row.body + channel * laneHeight;
  const height = laneHeight - 4;
  const at = (frame: number) => x0 + (frame - c.offset) / time.perPixel;
  const chosen = s.choice.lane?.clip === c.id && s.choice.lane.channel === channel;
  const dyed = dye(row.track.stem);
  g.save();
  g.beginPath();
  g.rect(Math.max(0, x0), y, Math.min(width, x1) - Math.max(0, x0), height);
  g.clip();
  g.fillStyle = theme.paper;
  g.fillRect(x0, y, x1 - x0, height);
  g.globalAlpha = chosen ? 0.22 : 0.06;
  g.fillStyle = dyed;
  g.fillRect(x0, y, x1 - x0, height);
  g.globalAlpha = l.off ? 0.2 : 1;
  const raw = rawAt(time.perPixel, s.takes);
  const heard = l.off ? { ...c, lanes: c.lanes?.map((x, i) => (i === channel ? { ...x, off: false } : x)) } : c; // drawn faintly, all the same
  const unfaded = { ...heard, lanes: heard.lanes?.map((x, i) => (i === channel ? { ...x, fadeIn: undefined, fadeOut: undefined } : x)) };
  const box = { x0, x1, y, height };
  faded(g, width, s, l, box, row.track.id, theme, (from, to) => channelIn(raw, unfaded, channel, from, to));
  sound(g, s, Math.max(0, x0), Math.min(width, x1), y + 2, height - 4, row.track.id, (from, to) =>
    channelIn(raw, heard, channel, from, to),
  );
  g.globalAlpha = 1;
  const of = s.taken?.of;
  if (of?.row === "clip" && of.id === c.id && of.channel === channel)
    takenAway(g, s.taken!, time, Math.max(0, x0), Math.min(width, x1), y, height, theme.ink);
  fadeLines(g, s, l, box, theme);
  const named = (from: number, to: number, text: string, hatched: boolean) => {
    const a = at(from);
    const b = at(to);
    if (b < 0 || a > width) return;
    if (hatched) {
      g.save();
      g.beginPath();
      g.rect(a, y, b - a, height);
      g.clip();
      g.strokeStyle = theme.line;
      for (let x = a - height; x < b; x += 6) {
        g.beginPath();
        g.moveTo(x, y + height);
        g.lineTo(x + height, y);
        g.stroke();
      }
      g.restore();
    }
    g.strokeStyle = theme.ink;
    g.setLineDash([3, 2]);
    g.strokeRect(a + 0.5, y + 0.5, b - a - 1, height - 1);
    g.setLineDash([]);
    if (b - a < 24) return;
    g.font = words;
    g.textBaseline = "bottom";
    g.save();
    g.beginPath();
    g.rect(a, y, b - a, height);
    g.clip();
    const room = g.measureText(text).width + 6;
    g.fillStyle = theme.paper;
    g.fillRect(Math.max(0, a) + 2, y + height - 15, room, 13);
    g.fillStyle = theme.ink;
    g.fillText(text, Math.max(0, a) + 5, y + height - 2);
    g.restore();
  };
  for (const h of l.hushes ?? []) named(h.from, h.to, "hush", true);
  for (const d of l.dips ?? []) named(d.from, d.to, `${d.gainDB > 0 ? "+" : "−"}${Math.abs(d.gainDB)} dB`, false);
  for (const b of l.borrowed ?? []) named(b.from, b.to, b.quiet ? `room tone from ${b.title}` : `from ${b.title}`, false);
  g.fillStyle = theme.ink;
  for (const cut of l.cuts ?? []) g.fillRect(Math.round(at(cut)), y, 1.5, height);
  g.strokeStyle = chosen ? theme.ink : theme.line;
  g.strokeRect(x0 + 0.5, y + 0.5, x1 - x0 - 1, height - 1);
  g.restore();
}

/** Where clips of a track lie over each other: crossed lines where they are crossfaded, else a mark that both sound. */
function overlaps(g: CanvasRenderingContext2D, s: Scene, clips: Clip[], row: TrackRow, wrong: string) {
  for (let i = 1; i < clips.length; i++) {
    const a = clips[i - 1]!;
    const b = clips[i]!;
    const end = Math.min(a.start + a.length, b.start + b.length);
    if (end <= b.start || s.preview?.(a) || s.preview?.(b)) continue;
    const crossed = (a.fadeOut?.length ?? 0) > 0 && (b.fadeIn?.length ?? 0) > 0;
    if (crossed) continue; // their own lines cross
    g.fillStyle = wrong;
    g.globalAlpha = 0.6;
    g.fillRect(xOf(s.time, b.start), row.y + 2, Math.max(1, (end - b.start) / s.time.perPixel), 2);
    g.globalAlpha = 1;
  }
}

export function curve(
  g: CanvasRenderingContext2D,
  points: Point[],
  x: (at: number) => number,
  from: number,
  to: number,
  row: Pick<TrackRow, "y" | "body">,
  what: Parameter,
  ink: string,
  rest: number,
) {
  const y = (value: number) => row.y + 4 + yOfValue(what, value, row.body - 9);
  const list = points.length ? points : [{ at: 0, value: rest }];
  g.save();
  g.strokeStyle = ink;
  g.lineWidth = 1.5;
  if (!points.length) g.setLineDash([2, 3]);
  g.beginPath();
  g.moveTo(from, y(list[0]!.value));
  for (const p of list) {
    const px = x(p.at);
    if (px < from - 4000) g.moveTo(px, y(p.value));
    else g.lineTo(Math.max(from, px), px < from ? y(level(points, p.at)) : y(p.value));
  }
  g.lineTo(to, y(list.at(-1)!.value));
  g.stroke();
  g.setLineDash([]);
  g.fillStyle = colour("--paper");
  for (const p of points) {
    const px = x(p.at);
    if (px < from - 5 || px > to + 5) continue;
    g.beginPath();
    g.arc(px, y(p.value), 3.5, 0, 7);
    g.fill();
    g.stroke();
  }
  g.restore();
}

function range(g: CanvasRenderingContext2D, s: Scene, zest: string) {
  const r = s.choice.range;
  if (!r) return;
  const x0 = xOf(s.time, r.from);
  const x1 = Math.max(x0 + 1, xOf(s.time, r.to));
  const box = (y: number, height: number) => {
    g.globalAlpha = 0.16;
    g.fillStyle = zest;
    g.fillRect(x0, y, x1 - x0, height);
    g.globalAlpha = 0.9;
    g.fillRect(x0, y, 1, height);
    g.fillRect(x1 - 1, y, 1, height);
    g.globalAlpha = 1;
  };
  for (const id of r.tracks) {
    const row = s.rows.byTrack.get(id);
    if (!row) continue;
    if (s.choice.lane && s.view.clips.find((c) => c.id === s.choice.lane!.clip)?.track === id)
      box(row.y + row.body + s.choice.lane.channel * laneHeight, laneHeight - 4);
    else box(row.y, row.height - 1);
  }
}

/** Each row of the band as what its tracks play. What a track plays is worked out once, however many rows it sounds in. */
export type BandScene = Pick<Scene, "view" | "time" | "takes" | "rows" | "curves" | "heights"> & {
  band: BandRow[];
  bandRow: number;
  /** Points of one of the rows' curves while one of them is dragged. */
  drawn: { id: string; points: Point[] } | null;
  taken: Taken | null;
};

export function paintBand(g: CanvasRenderingContext2D, width: number, s: BandScene) {
  const shown = shownOf(s.curves);
  const woven = isWoven(s.time, s.view.head.sampleRate);
  const step = woven ? threadStep : 1;
  const columns = Math.ceil(width / step);
  const heights = s.heights("");
  const played = new Map<string, Float32Array>();
  const of = (id: string) => {
    const track = trackOf(s.view, id);
    const known = played.get(id) ?? (track ? playedBy(s, track, step, columns) : new Float32Array(columns));
    played.set(id, known);
    return known;
  };
  s.band.forEach((row, i) => {
    const room = s.bandRow - 8;
    const y = i * s.bandRow + 4;
    const tall = new Float32Array(columns);
    for (const track of tracksIn(s.view, row)) {
      const own = of(track);
      for (let k = 0; k < columns; k++) if (own[k]! > tall[k]!) tall[k] = own[k]!;
    }
    g.fillStyle = row.stem ? dye(row.stem) : colour("--ink");
    g.globalAlpha = row.row === "strand" ? 0.5 : 0.8;
    for (let k = 0; k < columns; k++) {
      const size = Math.max(1, tallOf(heights, tall[k]!) * room);
      g.fillRect(k * step, y + (room - size) / 2, woven ? threadWidth : 1, size);
    }
    g.globalAlpha = 1;
    if (s.taken?.of.row === row.row && s.taken.of.id === row.id)
      takenAway(g, s.taken, s.time, 0, width, i * s.bandRow + 2, s.bandRow - 4, colour("--ink"));
    if (shown?.of === "bus") {
      const bus = busOf(s.view, row.row, row.id);
      const points = s.drawn?.id === `${row.row} ${row.id}` ? s.drawn.points : pointsOf(bus, shown.what);
      curve(
        g,
        points,
        (at) => xOf(s.time, at),
        0,
        width,
        { y: i * s.bandRow, body: s.bandRow },
        shown.what,
        colour("--zest"),
        restOf(bus, shown.what),
      );
    }
  });
}

/** What tracks play was worked out for, and what it came to: an edit of one leaves the others as they were. */
type Played = { clips: Clip[]; track: Track; takes: TakeWidths; time: TimeView; step: number; arrived: number; tall: Float32Array };
const playedBefore = new Map<string, Played>();
/** No more tracks than this are remembered. */
const most = 400;

function playedBy(s: BandScene, track: Track, step: number, columns: number): Float32Array {
  const clips = s.rows.clips.get(track.id) ?? none;
  const key = `${s.view.id} ${track.id}`;
  const was = playedBefore.get(key);
  const same =
    was &&
    was.clips === clips &&
    was.takes === s.takes &&
    was.tall.length === columns &&
    was.step === step &&
    was.arrived === arrivedSoFar();
  const all = { from: 0, to: columns };
  let { time, tall, due } = { time: s.time, tall: new Float32Array(columns), due: all };
  if (same && was.time.perPixel === time.perPixel && (was.track === track || plays(was.track) === plays(track))) {
    const kept = keptColumns(was.time.left, time.left, step * time.perPixel, columns);
    if (kept) {
      time = { ...time, left: was.time.left + kept.by * step * time.perPixel }; // on the grid that is there
      due = kept.due;
      if (kept.by === 0) return was.tall;
      tall.set(was.tall.subarray(Math.max(0, kept.by), Math.min(columns, columns + kept.by)), Math.max(0, -kept.by));
    }
  }
  peaks({ ...s, time }, track, step, due, tall);
  if (playedBefore.size >= most) playedBefore.clear();
  playedBefore.set(key, { clips, track, takes: s.takes, time, step, arrived: arrivedSoFar(), tall });
  return tall;
}

/** A grid of columns may lie so far from where it would be drawn anew, in columns, for what was worked out on it to be shown: it is not seen. */
const off = 0.02;

/** By how many columns what was worked out is shown further on when time is scrolled, and which columns are new then; nothing where none is kept. */
export function keptColumns(
  was: number,
  left: number,
  column: number,
  columns: number,
): { by: number; due: { from: number; to: number } } | null {
  const moved = (left - was) / column;
  const by = Math.round(moved);
  if (Math.abs(moved - by) > off || Math.abs(by) >= columns) return null;
  return { by, due: by >= 0 ? { from: columns - by, to: columns } : { from: 0, to: -by } };
}

const none: Clip[] = [];

/** What of a track decides how loud its clips are in the band. */
const plays = (t: Track) => JSON.stringify([t.mute, t.gainDB, t.gain, t.labels]);

/** Finds the highest that a track plays in some columns of the band. */
function peaks(s: BandScene, track: Track, step: number, due: { from: number; to: number }, tall: Float32Array) {
  const { time } = s;
  const raw = rawAt(time.perPixel, s.takes);
  const at = (column: number) => time.left + column * step * time.perPixel;
  for (const c of track.mute ? [] : clipsIn(s.rows.clips.get(track.id) ?? [], at(due.from), at(due.to))) {
    if (c.mute) continue;
    const first = Math.max(due.from, Math.floor(xOf(time, c.start) / step));
    const last = Math.min(due.to - 1, Math.floor(xOf(time, c.start + c.length) / step));
    for (let k = first; k <= last; k++) {
      const e = clipIn(raw, c, track.labels, at(k), at(k + 1));
      if (e) tall[k] = Math.max(tall[k]!, Math.max(-e.low, e.high) * trackGain(track, at(k)));
    }
  }
}

/** Whether a thread of the weave stands for so long that single peaks would say nothing: then what sounds is woven, else it is a waveform. */
export const isWoven = (time: TimeView, sampleRate: number) => threadStep * time.perPixel >= sampleRate / 2;

type At = (from: number, to: number) => Extent | null;

/** Draws what sounds between two pixels, in the colour that is set: upright threads, a column a pixel, or, nearer than samples, a line through them. */
function sound(g: CanvasRenderingContext2D, s: Scene, x0: number, x1: number, y: number, height: number, track: string, at: At) {
  const { time } = s;
  const heights = s.heights(track);
  if (isWoven(time, s.view.head.sampleRate)) threads(g, time, heights, x0, x1, y, height, at);
  else if (time.perPixel > 1) columnsOf(g, time, heights, x0, x1, y, height, at);
  else samples(g, time, heights, x0, x1, y, height, at);
}

/** Threads stand still on the screen's own grid, so scrolling does not flicker. */
function threads(g: CanvasRenderingContext2D, time: TimeView, h: Heights, x0: number, x1: number, y: number, height: number, at: At) {
  for (let x = Math.floor(x0 / threadStep) * threadStep; x < x1; x += threadStep) {
    const e = at(sampleOfX(time, x), sampleOfX(time, x + threadStep));
    const size = e ? Math.max(1, tallOf(h, Math.max(-e.low, e.high)) * height) : 1;
    g.fillRect(x, y + (height - size) / 2, threadWidth, size);
  }
}

/** Lowest and highest of each pixel, and its RMS as the darker body. */
function columnsOf(g: CanvasRenderingContext2D, time: TimeView, h: Heights, x0: number, x1: number, y: number, height: number, at: At) {
  const middle = y + height / 2;
  const outer = new Path2D();
  const body = new Path2D();
  for (let x = Math.floor(x0); x < x1; x++) {
    const e = at(sampleOfX(time, x), sampleOfX(time, x + 1));
    const up = e ? (tallOf(h, e.high) * height) / 2 : 0;
    const down = e ? (tallOf(h, e.low) * height) / 2 : 0;
    outer.rect(x, middle - Math.max(0.5, up), 1, Math.max(1, up + down));
    const inner = e ? (tallOf(h, e.rms) * height) / 2 : 0;
    if (inner > 0.5) body.rect(x, middle - Math.min(inner, up), 1, Math.min(inner, up) + Math.min(inner, down));
  }
  const alpha = g.globalAlpha;
  g.globalAlpha = alpha * 0.6;
  g.fill(outer);
  g.globalAlpha = alpha;
  g.fill(body);
}

/** How far apart samples are, in pixels, for each to have a dot. */
const dots = 6;

function samples(g: CanvasRenderingContext2D, time: TimeView, h: Heights, x0: number, x1: number, y: number, height: number, at: At) {
  const middle = y + height / 2;
  const line = new Path2D();
  const marks = new Path2D();
  const last = Math.ceil(sampleOfX(time, x1));
  for (let n = Math.floor(sampleOfX(time, x0)); n <= last; n++) {
    const e = at(n, n + 1);
    const v = e ? (e.high > 0 ? e.high : e.low) : 0;
    const px = xOf(time, n);
    const py = middle - (Math.sign(v) * tallOf(h, v) * height) / 2;
    line.lineTo(px, py);
    if (time.perPixel * dots <= 1) marks.rect(px - 1.5, py - 1.5, 3, 3);
  }
  g.strokeStyle = g.fillStyle;
  g.lineWidth = 1;
  g.stroke(line);
  g.fill(marks);
}
