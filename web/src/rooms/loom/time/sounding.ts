// What sounds, as far as it can be drawn: what clips make of their takes by gains, curves, fades, hushes, dips, delays and what is borrowed. Folded clips,
// opened channels and the band are all drawn by it. What chains do is not in it: it is drawn apart, as what they take away.
import type { Clip, Point, Track } from "../../../api/client";
import { binFrames, extent, type Extent, levelFor } from "../../../draw/overview";
import { extentOfSamples } from "../../../draw/samples";
import { fadeAt, level } from "../ground/curves";

/** Gives the lowest and highest sample of a channel of a take between two of its frames, and their RMS; null while it is on its way. */
export type Raw = (take: string, channel: number, from: number, to: number) => Extent | null;

const silent: Extent = { low: 0, high: 0, rms: 0 };

/** Nearer than this, in samples a pixel, takes are drawn from their samples, and else from the overview whose bins are no wider than a pixel. */
const near = binFrames[0];

/** What takes have, in columns of so many samples. channels says how many each has. */
export function rawAt(perPixel: number, channels: ReadonlyMap<string, number>): Raw {
  const bins = levelFor(perPixel);
  const per = binFrames[bins]!;
  return (take, channel, from, to) => {
    const width = channels.get(take);
    if (!width || to <= 0) return to <= 0 ? silent : null;
    // Of a stretch that is far longer than a column, as room tone is, how loud it is is enough.
    if (to - from > 64 * Math.max(near, perPixel)) return extent(take, width, channel, levelFor((to - from) / 16), Math.max(0, from), to);
    if (perPixel < near)
      return extentOfSamples(take, channel + 1, Math.max(0, Math.round(from)), Math.max(Math.round(to), Math.round(from) + 1));
    // A bin belongs where its middle is.
    const first = Math.max(0, Math.round(from / per));
    return extent(take, width, channel, bins, first * per, Math.max(first + 1, Math.round(to / per)) * per);
  };
}

/** One beside the other in time; how many samples each stands for. */
function beside(a: Extent | null, b: Extent, lengthA: number, lengthB: number): Extent {
  if (!a) return b;
  const rms = Math.sqrt((a.rms ** 2 * lengthA + b.rms ** 2 * lengthB) / (lengthA + lengthB));
  return { low: Math.min(a.low, b.low), high: Math.max(a.high, b.high), rms };
}

/** Both at once: of one sample what they come to, of more as much as they can come to. */
function together(a: Extent, b: Extent, one: boolean): Extent {
  const both = { low: a.low + b.low, high: a.high + b.high, rms: Math.hypot(a.rms, b.rms) };
  if (!one) return both;
  const v = both.low + both.high; // of each of them one is 0
  return { low: Math.min(0, v), high: Math.max(0, v), rms: Math.abs(v) };
}

function times(e: Extent, k: number): Extent {
  if (k === 1) return e;
  return k < 0 ? { low: e.high * k, high: e.low * k, rms: e.rms * -k } : { low: e.low * k, high: e.high * k, rms: e.rms * k };
}

const gainOf = (dB: number) => (dB === 0 ? 1 : 10 ** (dB / 20));

type Lane = NonNullable<Clip["lanes"]>[number];
type Span = { from: number; to: number };

const meets = (s: Span, from: number, to: number) => s.from < to && s.to > from;
const edge = (s: Span, at: number) => Math.min(at - s.from, s.to - at);

/** How far a hush is open at its edges, in samples (core/engine). */
const hushEdge = 64;

/** The factors at one frame of the take: of the channel's own sound, and of what is borrowed in its place. */
function mixAt(l: Lane, at: number): { own: number; lent: number } {
  let own = 1;
  let lent = 0;
  for (const h of l.hushes ?? [])
    if (at >= h.from && at < h.to) own *= 1 - Math.min(1, edge(h, at) / Math.min(hushEdge, Math.floor((h.to - h.from) / 2)));
  for (const b of l.borrowed ?? []) {
    if (at < b.from || at >= b.to) continue;
    lent = fadeAt(b.fade, edge(b, at)) * gainOf(b.gainDB ?? 0);
    own *= fadeAt(b.fade, b.fade.length - edge(b, at));
  }
  return { own, lent };
}

/** The gain at one sample of the reel of all that a clip does to a channel, without its sign. */
function gainAt(c: Clip, l: Lane, at: number): number {
  const frame = at - c.start + c.offset;
  let dB = (l.gainDB ?? 0) + c.gainDB;
  for (const d of l.dips ?? []) if (frame >= d.from && frame < d.to) dB += d.gainDB * Math.min(1, edge(d, frame) / d.ramp);
  if (c.gain?.length) dB += level(c.gain, frame);
  let factor = gainOf(dB);
  const [begun, left] = [at - c.start, c.start + c.length - at];
  for (const f of [l.fadeIn, c.fadeIn]) if (f && begun < f.length) factor *= fadeAt(f, begun);
  for (const f of [l.fadeOut, c.fadeOut]) if (f && left < f.length) factor *= fadeAt(f, left);
  return factor;
}

/** Where between two samples what a channel does turns: its ends and the edges of what is done in it. */
function turns(c: Clip, l: Lane, from: number, to: number): number[] {
  const shift = c.start - c.offset;
  const list = [from, to];
  const note = (frame: number) => {
    const at = frame + shift;
    if (at > from && at < to) list.push(at);
  };
  const span = (s: Span, ramp: number) => {
    if (meets(s, from - shift, to - shift)) for (const at of [s.from, s.from + ramp, s.to - ramp, s.to]) note(at);
  };
  for (const h of l.hushes ?? []) span(h, Math.min(hushEdge, Math.floor((h.to - h.from) / 2)));
  for (const b of l.borrowed ?? []) span(b, b.fade.length);
  for (const d of l.dips ?? []) span(d, d.ramp);
  for (const p of c.gain ?? []) note(p.at);
  return list.length === 2 ? list : list.sort((a, b) => a - b);
}

/** Between which samples of the reel a channel of a clip is only louder or quieter than its take, and by what factor. */
type Steady = { from: number; to: number; factor: number; take: string; of: number; shift: number };
const steadyOf = new WeakMap<Clip, (Steady | null)[]>();

/** It is worked out once for each state of a clip: most of what is drawn is such, column by column. Nothing where it has edits in it. */
function steady(c: Clip, channel: number): Steady | null {
  const known = steadyOf.get(c) ?? [];
  steadyOf.set(c, known);
  const have = known[channel];
  if (have !== undefined) return have;
  const l: Lane = c.lanes?.[channel] ?? {};
  const plain = !l.off && !c.gain?.length && ![l.hushes, l.borrowed, l.dips].some((x) => x?.length);
  const shift = c.offset - c.start - (l.delay ?? 0);
  const factor = gainOf((l.gainDB ?? 0) + c.gainDB) * (l.invert ? -1 : 1);
  const from = c.start + Math.max(c.fadeIn?.length ?? 0, l.fadeIn?.length ?? 0);
  const to = Math.min(
    c.start + c.length - Math.max(c.fadeOut?.length ?? 0, l.fadeOut?.length ?? 0),
    (c.frames ?? Infinity) - shift, // the take is not longer
  );
  known[channel] = plain ? { from, to, factor, take: c.take, of: c.channels[channel]!, shift } : null;
  return known[channel];
}

/** What a channel of a clip sounds like between two samples of the reel; null while it is on its way. */
export function channelIn(raw: Raw, c: Clip, channel: number, from: number, to: number): Extent | null {
  const s = steady(c, channel);
  if (s && from >= s.from && to <= s.to) {
    const e = raw(s.take, s.of, from + s.shift, to + s.shift);
    return e && times(e, s.factor);
  }
  const l: Lane = c.lanes?.[channel] ?? {};
  const first = Math.max(from, c.start);
  const last = Math.min(to, c.start + c.length);
  if (l.off || last <= first) return silent;
  const shift = c.offset - c.start;
  const delay = l.delay ?? 0;
  const at = turns(c, l, first, last);
  let all: Extent | null = null;
  for (let i = 1; i < at.length; i++) {
    const a = at[i - 1]!;
    const b = at[i]!;
    const e = pieceIn(raw, c, l, channel, a + shift, b + shift, delay);
    if (!e) return null;
    // The loudest that it gets there: what is drawn is never less than what sounds.
    const gain = Math.max(gainAt(c, l, a), gainAt(c, l, (a + b) / 2), gainAt(c, l, b - 1e-6));
    all = beside(all, times(e, l.invert ? -gain : gain), a - first, b - a);
  }
  return all ?? silent;
}

/** Of two frames of the take between which nothing begins or ends: the channel's own sound and what is borrowed. */
function pieceIn(raw: Raw, c: Clip, l: Lane, channel: number, from: number, to: number, delay: number): Extent | null {
  const places = [from, (from + to) / 2, to - 1e-6].map((x) => mixAt(l, x));
  const own = Math.max(...places.map((p) => p.own));
  const lent = Math.max(...places.map((p) => p.lent));
  let e: Extent | null = silent;
  if (own > 0 && from - delay < (c.frames ?? Infinity)) {
    e = raw(c.take, c.channels[channel]!, from - delay, to - delay);
    if (!e) return null;
    e = times(e, own);
  }
  const middle = (from + to) / 2;
  const b = lent > 0 ? l.borrowed?.find((x) => middle >= x.from && middle < x.to) : undefined;
  if (!b) return e;
  const other = b.quiet
    ? raw(b.take, b.channel, b.quiet.from, b.quiet.to)
    : raw(b.take, b.channel, from - b.from + b.offset, to - b.from + b.offset);
  return other && together(e, times(other, lent), to - from <= 1);
}

/** What all of a clip sounds like on its track: channels that become one are added up, of others the loudest is drawn. */
export function clipIn(raw: Raw, c: Clip, labels: string[], from: number, to: number): Extent | null {
  if (c.channels.length === 1 && !c.matrix) return channelIn(raw, c, 0, from, to);
  const channels: Extent[] = [];
  for (let i = 0; i < c.channels.length; i++) {
    const e = channelIn(raw, c, i, from, to);
    if (!e) return null;
    channels.push(e);
  }
  const rows = c.matrix ?? (c.sum || labels.length === 1 ? [channels.map(() => 1 / channels.length)] : null);
  const sounds = rows
    ? rows.map((row) => row.reduce((sum, k, i) => together(sum, times(channels[i] ?? silent, k), to - from <= 1), silent))
    : channels;
  return sounds.reduce(
    (most, e) => ({ low: Math.min(most.low, e.low), high: Math.max(most.high, e.high), rms: Math.max(most.rms, e.rms) }),
    silent,
  );
}

/** By how much a track is louder or quieter at one place, as a factor; 0 where it is muted. */
export const trackGain = (t: Pick<Track, "mute" | "gainDB"> & { gain?: Point[] }, at: number): number =>
  t.mute ? 0 : gainOf(t.gainDB + (t.gain?.length ? level(t.gain, at) : 0));

/** How tall things are drawn: in dB or as they are, and raised by so many dB. */
export type Heights = { dB: boolean; raised: number };

/** How tall what sounds on a track is drawn; of no track, what is drawn of several. */
export const heightsOf = (waves: Heights & { of: Record<string, number> }) => (track: string) => ({
  dB: waves.dB,
  raised: waves.raised + (waves.of[track] ?? 0),
});

/** What is as tall as the row's foot in dB; full scale is as tall as the row. */
export const floorDB = -54;

/** How tall a sample value is, from 0 to 1. */
export function tallOf(h: Heights, value: number): number {
  const size = Math.abs(value);
  if (!h.dB) return Math.min(1, size * gainOf(h.raised));
  return size === 0 ? 0 : Math.max(0, Math.min(1, 1 - (20 * Math.log10(size) + h.raised) / floorDB));
}

/** The same in words, for all rows and for one where that differs: short, as it stands over the ruler. */
export function heightsInWords(waves: Heights & { of: Record<string, number> }, track: string): string {
  const own = waves.of[track] ?? 0;
  const by = (dB: number) => `${dB < 0 ? "−" : "+"}${Math.abs(dB)}`;
  const all = `${waves.dB ? "dB" : "linear"}${waves.raised === 0 ? "" : ` ${by(waves.raised)}`}`;
  return own === 0 ? all : `${all}, track ${by(waves.raised + own)}`;
}
