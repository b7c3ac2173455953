// The programme as one thread: loudness and peaks as cloth around it, what is asked woven in.
import { colour } from "../../draw/canvas";
import type { Point } from "../../api/client";
import { xOf, type TimeView } from "../loom/ground/geometry";
import type { GaugeLimit, GaugeLines } from "./judge";

export type Scene = {
  start: number; // sample at which the reel begins
  rate: number;
  time: TimeView;
  lines: GaugeLines["lines"] | undefined;
  before: GaugeLines["before"] | undefined; // short-term loudness without the correction
  limit: GaugeLimit;
  ride: Point[];
  range: { from: number; to: number } | null;
  file: boolean; // by itself: nobody knows where its dialogue is, and it has no ride to draw
};

/** Loudness at the top and at the foot of the cloth, in LUFS. */
export const top = -5;
export const foot = -43;
const scale = [-9, -14, -18, -23, -27, -30, -36, -42];

export const lanes = { dialogue: 16, peak: 40, correlation: 30, ride: 46 };
export const lanesHeight = (file: boolean) => lanes.peak + lanes.correlation + (file ? 0 : lanes.dialogue + lanes.ride);
/** The ride is drawn between these, in dB. */
export const rideTop = 6;
export const rideFoot = -12;

const yOf = (lufs: number, height: number) => ((top - lufs) / (top - foot)) * height;

type Column = (value: number | null, x: number, width: number) => void;

function each(s: Scene, values: (number | null)[] | null | undefined, width: number, draw: Column) {
  const l = s.lines;
  if (!l || !values) return;
  const step = (l.seconds * s.rate) / s.time.perPixel;
  values.forEach((v, i) => {
    const x = xOf(s.time, s.start + (l.from + i * l.seconds) * s.rate);
    if (x > -step && x < width) draw(v, x, step);
  });
}

function hatched(g: CanvasRenderingContext2D, clip: () => void, width: number, height: number) {
  g.save();
  g.beginPath();
  clip();
  g.clip();
  g.strokeStyle = colour("--wrong");
  g.lineWidth = 1.5;
  g.beginPath();
  for (let x = -height; x < width; x += 5) {
    g.moveTo(x, height);
    g.lineTo(x + height, 0);
  }
  g.stroke();
  g.restore();
  g.lineWidth = 1;
}

function label(g: CanvasRenderingContext2D, text: string, x: number, y: number, ink: string) {
  g.font = "600 11px 'Hanken Grotesk Variable', sans-serif";
  g.textBaseline = "middle";
  const room = g.measureText(text).width;
  g.fillStyle = colour("--ground");
  g.globalAlpha = 0.85;
  g.fillRect(x - 3, y - 7, room + 6, 14);
  g.globalAlpha = 1;
  g.fillStyle = ink;
  g.fillText(text, x, y);
}

function line(g: CanvasRenderingContext2D, s: Scene, values: (number | null)[] | null | undefined, width: number, height: number) {
  g.beginPath();
  let drawn = false;
  each(s, values, width, (v, x, step) => {
    if (v === null) {
      drawn = false;
      return;
    }
    const y = yOf(Math.max(foot, v), height);
    if (drawn) g.lineTo(x + step / 2, y);
    else g.moveTo(x + step / 2, y);
    drawn = true;
  });
  g.stroke();
}

export function paint(g: CanvasRenderingContext2D, width: number, full: number, s: Scene) {
  const height = full - lanesHeight(s.file);
  g.font = "11px 'Spline Sans Mono Variable', monospace";
  g.textBaseline = "middle";
  const { integrated, tolerance = 0.5, shortTermMax, momentaryMax, truePeak } = s.limit;
  if (integrated !== undefined) {
    g.fillStyle = colour("--lime");
    g.globalAlpha = 0.28;
    const y = yOf(integrated + tolerance, height);
    g.fillRect(0, y, width, Math.max(3, yOf(integrated - tolerance, height) - y));
    g.globalAlpha = 1;
  }
  if (s.range) {
    g.fillStyle = colour("--zest");
    g.globalAlpha = 0.1;
    const x = xOf(s.time, s.range.from);
    g.fillRect(x, 0, xOf(s.time, s.range.to) - x, full);
    g.globalAlpha = 1;
  }
  g.strokeStyle = colour("--line");
  for (const at of scale) {
    const y = Math.round(yOf(at, height)) + 0.5;
    g.beginPath();
    g.moveTo(40, y);
    g.lineTo(width, y);
    g.stroke();
  }
  // Momentary loudness as cloth, short-term as the thread.
  g.fillStyle = colour("--warp");
  each(
    s,
    s.lines?.momentary,
    width,
    (v, x, step) =>
      v !== null && v > foot && g.fillRect(x, yOf(v, height), Math.max(1, step > 3 ? step - 1 : step), height - yOf(v, height)),
  );
  const limited = shortTermMax ?? momentaryMax;
  if (limited !== undefined) {
    const values = shortTermMax === undefined ? s.lines?.momentary : s.lines?.shortTerm;
    const y = yOf(limited, height);
    hatched(
      g,
      () =>
        each(
          s,
          values,
          width,
          (v, x, step) => v !== null && v > limited && g.rect(x, yOf(v, height), Math.max(1.5, step), y - yOf(v, height)),
        ),
      width,
      height,
    );
    g.strokeStyle = colour("--wrong");
    g.setLineDash([1.5, 3]);
    g.beginPath();
    g.moveTo(40, y);
    g.lineTo(width, y);
    g.stroke();
    g.setLineDash([]);
  }
  g.strokeStyle = colour("--dye-own-1");
  g.lineWidth = 1.5;
  g.setLineDash([6, 4]);
  line(g, s, s.lines?.integrated, width, height);
  g.setLineDash([]);
  g.strokeStyle = colour("--act");
  g.lineWidth = 1;
  g.setLineDash([2, 3]);
  line(g, s, s.before, width, height);
  g.setLineDash([]);
  g.strokeStyle = colour("--ink");
  g.lineWidth = 2;
  line(g, s, s.lines?.shortTerm, width, height);
  g.lineWidth = 1;
  if (limited !== undefined)
    label(
      g,
      `${shortTermMax === undefined ? "momentary" : "short-term"} at most ${`${limited}`.replace("-", "−")}`,
      width - 150,
      yOf(limited, height) - 9,
      colour("--wrong"),
    );
  g.fillStyle = colour("--ground");
  g.fillRect(0, 0, 38, height);
  g.font = "11px 'Spline Sans Mono Variable', monospace";
  g.fillStyle = colour("--muted");
  for (const at of scale) g.fillText(`${at}`.replace("-", "−"), 10, yOf(at, height));
  paintLanes(g, width, height, s, truePeak);
}

function paintLanes(g: CanvasRenderingContext2D, width: number, from: number, s: Scene, ceiling: number | undefined) {
  let y = from;
  const lane = (name: string, height: number, draw: (y: number) => void) => {
    g.fillStyle = colour("--band");
    g.fillRect(0, y, width, height - 1);
    draw(y);
    label(g, name, 10, y + (height > 30 ? 10 : height / 2), colour("--ink"));
    y += height;
  };
  if (!s.file)
    lane("Dialogue", lanes.dialogue, (at) => {
      g.fillStyle = colour("--dye-DX");
      each(
        s,
        s.lines?.dialogue,
        width,
        (v, x, step) => v !== null && v > 0.3 && g.fillRect(x, at + 4, Math.max(1, step), lanes.dialogue - 9),
      );
    });
  lane("True peak", lanes.peak, (at) => {
    const h = lanes.peak - 2;
    const place = (dB: number) => at + h - Math.max(0, Math.min(1, (dB + 40) / 43)) * h;
    g.fillStyle = colour("--ink");
    each(s, s.lines?.truePeak, width, (v, x, step) => {
      if (v === null) return;
      g.fillStyle = ceiling !== undefined && v > ceiling + 0.005 ? colour("--wrong") : colour("--ink");
      g.fillRect(x, place(v), Math.max(1, step > 3 ? step - 1 : step), at + h - place(v));
    });
    if (ceiling !== undefined) {
      g.fillStyle = colour("--wrong");
      g.fillRect(0, Math.round(place(ceiling)), width, 1);
    }
  });
  lane("Correlation", lanes.correlation, (at) => {
    const h = lanes.correlation - 2;
    g.fillStyle = colour("--line");
    g.fillRect(0, at + h / 2, width, 1);
    each(s, s.lines?.correlation, width, (v, x, step) => {
      if (v === null) return;
      g.fillStyle = v < 0 ? colour("--wrong") : colour("--muted");
      g.fillRect(x, at + h / 2 - Math.max(0, v) * (h / 2), Math.max(1, step), Math.max(1, Math.abs(v) * (h / 2)));
    });
  });
  if (!s.file) lane("Ride", lanes.ride, (at) => paintRide(g, width, at, s));
}

export const rideY = (dB: number) => ((rideTop - dB) / (rideTop - rideFoot)) * (lanes.ride - 2);

function paintRide(g: CanvasRenderingContext2D, width: number, at: number, s: Scene) {
  g.fillStyle = colour("--line");
  g.fillRect(0, Math.round(at + rideY(0)), width, 1);
  if (s.ride.length === 0) return;
  const x = (p: Point) => xOf(s.time, p.at);
  g.strokeStyle = colour("--act");
  g.lineWidth = 1.5;
  g.beginPath();
  g.moveTo(0, at + rideY(s.ride[0]!.value));
  for (const p of s.ride) g.lineTo(x(p), at + rideY(p.value));
  g.lineTo(width, at + rideY(s.ride.at(-1)!.value));
  g.stroke();
  g.lineWidth = 1;
  g.fillStyle = colour("--act");
  for (const p of s.ride) {
    g.beginPath();
    g.arc(x(p), at + rideY(p.value), 3, 0, 7);
    g.fill();
  }
}
