// Curves as they are drawn: the server computes with them; this shows them and turns pixels into values.
import type { Bus, Clip, CommandOf, Fade, Point, Track } from "../../../api/client";

export type Parameter = CommandOf<"setCurve">["what"];

/** How the values of a parameter lie in a row: what is at its top and at its bottom, to what they are rounded, and their unit. */
const scales: Record<Parameter, { top: number; bottom: number; step: number; unit: string }> = {
  gain: { top: 12, bottom: -36, step: 0.1, unit: "dB" },
  pan: { top: -1, bottom: 1, step: 0.01, unit: "" }, // left above
  front: { top: 1, bottom: -1, step: 0.01, unit: "" },
  up: { top: 1, bottom: -1, step: 0.01, unit: "" },
  spread: { top: 1, bottom: 0, step: 0.01, unit: "" },
  lfe: { top: 12, bottom: -48, step: 0.1, unit: "dB" },
  turn: { top: 360, bottom: -360, step: 1, unit: "°" },
  pitch: { top: 180, bottom: -180, step: 1, unit: "°" },
  roll: { top: 180, bottom: -180, step: 1, unit: "°" },
  narrow: { top: 1, bottom: 0, step: 0.01, unit: "" },
};

export const parameters = Object.keys(scales) as Parameter[];

/** Between what the values of a parameter lie, and their unit. Gains go further than a row shows. */
export function scaleOf(what: Parameter): { least: number; most: number; unit: string } {
  const { top, bottom, unit } = scales[what];
  return unit === "dB" ? { least: -96, most: 24, unit } : { least: Math.min(top, bottom), most: Math.max(top, bottom), unit };
}

/** What has curves. */
export type Curved = Track | Clip | Bus | Ridden;

/** A knot, which has a curve of its gain alone. */
export type Ridden = { gain: Point[] };

/** The parameters of a track that move. */
export const movingOf = (t: Curved | undefined): Parameter[] => parameters.filter((p) => pointsOf(t, p).length > 0);

/** What a curve can be of. */
export type CurveOf = CommandOf<"setCurve">["of"];

/** The parameters that a strand, stem, mix or output group has. */
export const busParameters = ["gain", "pan", "turn", "pitch", "roll", "narrow"] as const satisfies Parameter[];

export type CurveView = "none" | "clip gain" | "clip pan" | `track ${Parameter}` | `bus ${(typeof busParameters)[number]}`;

/** The curves that a key goes through; the menu has all. */
export const curveViews: CurveView[] = ["none", "track gain", "track pan", "clip gain", "clip pan", "bus gain"];
export const allCurves: CurveView[] = [
  ...curveViews,
  ...(["front", "up", "spread", "lfe", "turn", "pitch", "roll", "narrow"] as const).map((p): CurveView => `track ${p}`),
  ...(["pan", "turn", "pitch", "roll", "narrow"] as const).map((p): CurveView => `bus ${p}`),
];

/** A view in words. */
export const curveWords = (v: CurveView) => (v.startsWith("bus ") ? `stem and mix ${v.slice(4)}` : v);

/** What a view is of: clips, tracks or what lies below them, and which of their parameters. */
export function shownOf(view: CurveView): { of: "clip" | "track" | "bus"; what: Parameter } | null {
  if (view === "none") return null;
  const [of, what] = view.split(" ") as ["clip" | "track" | "bus", Parameter];
  return { of, what };
}

/** The curve of a parameter. */
export function pointsOf(x: Curved | undefined, what: Parameter): Point[] {
  const own = what === "gain" || what === "pan" ? (x as Partial<Track> | undefined)?.[what] : undefined;
  return own ?? (x && "curves" in x ? x.curves?.[what] : undefined) ?? [];
}

/** Where a track, or what lies below, stands that has no curve of a parameter. */
export function restOf(x: Curved | undefined, what: Parameter): number {
  const t = x && "feed" in x ? x : undefined; // a clip adds nothing where it has no curve
  switch (what) {
    case "gain":
      return 0; // the curve is added to the track's gain
    case "lfe":
      return t?.feed?.lfeDB ?? scales.lfe.bottom;
    default:
      return t?.feed?.[what] ?? 0;
  }
}

/** How far from the top a value lies in a row of that height. */
export function yOfValue(what: Parameter, value: number, height: number): number {
  const { top, bottom } = scales[what];
  return Math.max(0, Math.min(1, (top - value) / (top - bottom))) * height;
}

/** The value at a distance from the top, rounded; near 0 dB a gain is 0 dB. */
export function valueOfY(what: Parameter, y: number, height: number): number {
  const { top, bottom, step } = scales[what];
  const value = Math.round((top - Math.max(0, Math.min(1, y / height)) * (top - bottom)) / step) * step;
  if (what === "gain" && Math.abs(value) < 0.6) return 0;
  return Math.round(value * 100) / 100 + 0;
}

/** The value of a curve at a place: straight between points, level outside them. */
export function level(points: Point[], at: number): number {
  if (points.length === 0) return 0;
  const i = points.findIndex((p) => p.at >= at);
  if (i === 0) return points[0]!.value;
  if (i < 0) return points.at(-1)!.value;
  const a = points[i - 1]!;
  const b = points[i]!;
  return a.value + ((b.value - a.value) * (at - a.at)) / (b.at - a.at);
}

/** The factor of a fade so many samples from its silent end. */
export function fadeAt(f: Fade, i: number): number {
  const x = f.length > 0 ? Math.max(0, Math.min(1, i / f.length)) : 1;
  if (f.curve === "power") return Math.sin((x * Math.PI) / 2);
  if (f.curve === "s") return Math.sin((x * Math.PI) / 2) ** 2;
  return x;
}

/** Thins what a hand has drawn: points that lie within so much of the line between their neighbours are left out. */
export function thinned(points: Point[], within: number): Point[] {
  if (points.length < 3) return points;
  const first = points[0]!;
  const last = points.at(-1)!;
  let far = 0;
  let index = 0;
  for (let i = 1; i < points.length - 1; i++) {
    const p = points[i]!;
    const off = Math.abs(p.value - (first.value + ((last.value - first.value) * (p.at - first.at)) / (last.at - first.at)));
    if (off > far) {
      far = off;
      index = i;
    }
  }
  if (far <= within) return [first, last];
  return [...thinned(points.slice(0, index + 1), within), ...thinned(points.slice(index), within).slice(1)];
}
