// Timecode for display. The server computes positions; this only formats them and reads what the user types.
import type { FrameRate } from "../api/client";

const labelsPerSecond = (r: FrameRate) => Math.ceil(r.num / r.den);

export function frameAt(sample: number, sampleRate: number, r: FrameRate): number {
  return Number((BigInt(Math.round(sample)) * BigInt(r.num)) / (BigInt(sampleRate) * BigInt(r.den)));
}

/** First sample of a frame. */
export function sampleOf(frame: number, sampleRate: number, r: FrameRate): number {
  const n = BigInt(frame) * BigInt(sampleRate) * BigInt(r.den);
  return Number((n + BigInt(r.num) - 1n) / BigInt(r.num));
}

/** The count of a frame: its number, and those that drop-frame has left out before it. */
export function countOf(frame: number, r: FrameRate): number {
  if (!r.drop) return frame;
  const base = labelsPerSecond(r);
  const drop = base / 15;
  const perMinute = base * 60 - drop;
  const perTen = perMinute * 10 + drop;
  const tens = Math.floor(frame / perTen);
  const rest = frame % perTen;
  return frame + tens * 9 * drop + (rest >= drop ? drop * Math.floor((rest - drop) / perMinute) : 0);
}

/** The frame of a count; where drop-frame leaves that out, the next that there is. */
export function frameOfCount(count: number, r: FrameRate): number {
  if (!r.drop) return count;
  const base = labelsPerSecond(r);
  const drop = base / 15;
  const minutes = Math.floor(count / (base * 60));
  const within = count % (base * 60);
  const there = minutes % 10 !== 0 && within < drop ? count - within + drop : count;
  return there - drop * (minutes - Math.floor(minutes / 10));
}

export function label(frame: number, r: FrameRate): string {
  const base = labelsPerSecond(r);
  frame = countOf(frame, r);
  const two = (n: number) => String(n).padStart(2, "0");
  const s = Math.floor(frame / base);
  return `${two(Math.floor(s / 3600) % 24)}:${two(Math.floor(s / 60) % 60)}:${two(s % 60)}${r.drop ? ";" : ":"}${two(frame % base)}`;
}

export function labelAt(sample: number, sampleRate: number, r: FrameRate): string {
  return label(frameAt(Math.max(0, sample), sampleRate, r), r);
}

/** How long the 24 hours of the clock last, in samples. */
export function day(sampleRate: number, r: FrameRate): number {
  const base = labelsPerSecond(r);
  return sampleOf(base * 86_400 - (r.drop ? (base / 15) * (1440 - 144) : 0), sampleRate, r);
}

/** Reads a timecode as parse does, on the day that brings it nearest to a position: reels run over midnight. */
export function parseNear(text: string, position: number, sampleRate: number, r: FrameRate): number | null {
  const at = parse(text, sampleRate, r);
  if (at === null) return null;
  const near = at + Math.round((position - at) / day(sampleRate, r)) * day(sampleRate, r);
  return near < 0 ? at : near;
}

/** Reads 10:00:00:00, or digits alone filled up from the right (12300 is 00:01:23:00). Null where it is no timecode. */
export function parse(text: string, sampleRate: number, r: FrameRate): number | null {
  const digits = text.trim().replace(/[:;.]/g, " ").trim();
  let parts: number[];
  if (/^\d{1,8}$/.test(digits)) {
    const d = digits.padStart(8, "0");
    parts = [0, 2, 4, 6].map((i) => Number(d.slice(i, i + 2)));
  } else {
    const m = /^(\d{1,2}) (\d{1,2}) (\d{1,2}) (\d{1,2})$/.exec(digits);
    if (!m) return null;
    parts = m.slice(1).map(Number);
  }
  const [h, m, s, f] = parts as [number, number, number, number];
  const base = labelsPerSecond(r);
  if (h > 23 || m > 59 || s > 59 || f >= base) return null;
  if (r.drop && m % 10 !== 0 && s === 0 && f < base / 15) return null;
  return sampleOf(frameOfCount(((h * 60 + m) * 60 + s) * base + f, r), sampleRate, r);
}

/** A length in words that fit a table: 1:02.4 */
export function duration(frames: number, sampleRate: number): string {
  const tenths = Math.round((10 * frames) / sampleRate);
  return `${Math.floor(tenths / 600)}:${((tenths % 600) / 10).toFixed(1).padStart(4, "0")}`;
}

/** What is said of a text that is no timecode. */
export const noTimecode = "Type a timecode, such as 10:00:12:05; Escape puts it back";
