// What the chain of a row comes to in words and in pixels; what it does to sound is the server's to say.
import type { ChainStep, ProcessorKind, ProcessorParameter, ReelView, Row } from "../api/client";

/** What a chain is of on the reel: a row, a clip, or one channel of a clip (from 0). */
export type ChainPlace = { row: Row | "clip"; id: string; channel?: number };

/** What is opened: a chain of the reel, or the treatment of what a clip was recorded with. */
export type Opened = ChainPlace | { row: "microphone"; id: string };

/** A parameter of a step: what was set, or what is usual. */
export const settingOf = (step: ChainStep, p: ProcessorParameter) => step.values?.[p.name] ?? p.default;

/** A step in its place of a chain, with other values. */
export const withValues = (steps: ChainStep[], id: string, values: Record<string, number>) =>
  steps.map((s) => (s.id === id ? { ...s, values: { ...s.values, ...values } } : s));

/** Moves a step of a chain to another place. */
export function movedStep(steps: ChainStep[], from: number, to: number): ChainStep[] {
  const out = [...steps];
  const [s] = out.splice(from, 1);
  out.splice(Math.max(0, Math.min(out.length, to)), 0, s!);
  return out;
}

/** A new step of a kind, with an ID that no other of the chain has had. */
export function freshStep(steps: ChainStep[], kind: ProcessorKind): ChainStep {
  const most = Math.max(0, ...steps.map((s) => Number(s.id.replace(/\D/g, "")) || 0));
  return { id: String(most + 1), kind: kind.kind, values: Object.fromEntries(kind.parameters.map((p) => [p.name, p.default])) };
}

/** A value as it is read: 80 Hz, 2.5 kHz, −4 dB. */
export function shown(value: number, unit: string): string {
  const minus = (n: number, digits: number) => (n < 0 ? "−" : "") + String(Number(Math.abs(n).toFixed(digits)));
  if (unit === "Hz" && Math.abs(value) >= 1000) return `${minus(value / 1000, 2)} kHz`;
  const text = minus(value, Math.abs(value) >= 100 ? 0 : Math.abs(value) >= 10 ? 1 : 2);
  return unit ? `${text} ${unit}` : text;
}

/** What a step is set to, in a few words: its first two or three parameters. */
export const stepWords = (step: ChainStep, kind: ProcessorKind | undefined) =>
  (kind?.parameters ?? [])
    .filter((p, i) => i < 3 && (p.default !== 0 || settingOf(step, p) !== 0))
    .map((p) => (p.unit ? shown(settingOf(step, p), p.unit) : `${p.name} ${shown(settingOf(step, p), "")}`))
    .join(", ");

/** The kinds that can do anything to so many channels: width needs two sides. */
export const kindsFor = (kinds: ProcessorKind[], channels: number) => kinds.filter((k) => !k.sets || channels > 1);

/** What a step does at the playhead, in a word. */
export function didWords(did: { dB?: number; hz?: number; repaired?: number } | undefined): string {
  if (!did) return "";
  if (did.hz !== undefined) return `${did.hz.toFixed(1)} Hz`;
  if (did.repaired !== undefined) return `${did.repaired} mended`;
  const dB = did.dB ?? 0;
  return `${dB < -0.05 ? "−" : dB > 0.05 ? "+" : ""}${Math.abs(dB).toFixed(1)} dB`;
}

/** From where on and up to where the curve of a chain is drawn, in Hz and dB. */
export const scale = { low: 20, high: 20_000, most: 18, least: -30 };

/** How far along a curve's width a frequency lies, 0 to 1. */
export const alongOf = (frequency: number) => Math.log(frequency / scale.low) / Math.log(scale.high / scale.low);

/** The frequency so far along a curve's width. */
export const frequencyAt = (along: number) => scale.low * (scale.high / scale.low) ** Math.max(0, Math.min(1, along));

/** How far down a curve's height a gain lies, 0 to 1. */
export const downOf = (dB: number) => (scale.most - Math.max(scale.least, Math.min(scale.most, dB))) / (scale.most - scale.least);

/** The gain so far down a curve's height, in dB. */
export const gainAt = (down: number) => scale.most - Math.max(0, Math.min(1, down)) * (scale.most - scale.least);

/** The frequencies at which a curve is worked out. */
export const curveFrequencies = Array.from({ length: 192 }, (_, i) => frequencyAt(i / 191));

/** A value brought to where its parameter may be: within its range, and to a multiple where it has to be one. */
export function held(p: ProcessorParameter, v: number): number {
  const whole = p.whole ? Math.round(v / p.whole) * p.whole : p.log ? Number(v.toPrecision(3)) : Math.round(v * 100) / 100;
  return Math.max(p.low, Math.min(p.high, whole));
}

/** How far a slider of a parameter stands, 0 to 1000: by ratio where it is felt so. */
export const slideOf = (p: ProcessorParameter, v: number) =>
  Math.round(1000 * (p.log ? Math.log(Math.max(v, p.low) / p.low) / Math.log(p.high / p.low) : (v - p.low) / (p.high - p.low)));

/** The value that a slider of a parameter stands for. */
export const slidTo = (p: ProcessorParameter, at: number) =>
  held(p, p.log ? p.low * (p.high / p.low) ** (at / 1000) : p.low + (at / 1000) * (p.high - p.low));

/** Rows that may drive a processor, as they are called. */
export const keyRows = (view: ReelView, row: ChainPlace["row"], id: string) =>
  [
    ...view.tracks.map((t) => ({ row: "track" as const, from: t.id, name: `Track: ${t.name}` })),
    ...view.stems.map((s) => ({ row: "stem" as const, from: s.id, name: `Stem: ${s.name}` })),
    ...view.mixes.map((m) => ({ row: "mix" as const, from: m.id, name: `Mix: ${m.name}` })),
  ].filter((k) => k.row !== row || k.from !== id);
