// Curves of gain and pan as they are drawn: the server computes with them; this shows them and turns pixels into values.
import type { Fade, Point } from "../../api/client";

export type CurveView = "none" | "track gain" | "track pan" | "clip gain" | "clip pan";
export const curveViews: CurveView[] = ["none", "track gain", "track pan", "clip gain", "clip pan"];

const top = 12;
const bottom = -36;

/** How far from the top a value lies in a row of that height. */
export function yOfValue(what: "gain" | "pan", value: number, height: number): number {
  const share = what === "gain" ? (top - value) / (top - bottom) : (1 + value) / 2;
  return Math.max(0, Math.min(1, share)) * height;
}

/** The value at a distance from the top, to a tenth of a dB or a hundredth of the way. */
export function valueOfY(what: "gain" | "pan", y: number, height: number): number {
  const share = Math.max(0, Math.min(1, y / height));
  if (what === "pan") return Math.round((share * 2 - 1) * 100) / 100;
  const dB = Math.round((top - share * (top - bottom)) * 10) / 10;
  return Math.abs(dB) < 0.6 ? 0 : dB;
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
