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

export function label(frame: number, r: FrameRate): string {
  const base = labelsPerSecond(r);
  if (r.drop) {
    const drop = base / 15;
    const perMinute = base * 60 - drop;
    const perTen = perMinute * 10 + drop;
    const tens = Math.floor(frame / perTen);
    const rest = frame % perTen;
    frame += tens * 9 * drop + (rest >= drop ? drop * Math.floor((rest - drop) / perMinute) : 0);
  }
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
  let frame = ((h * 60 + m) * 60 + s) * base + f;
  if (r.drop) {
    const drop = base / 15;
    if (m % 10 !== 0 && s === 0 && f < drop) return null;
    const minutes = h * 60 + m;
    frame -= drop * (minutes - Math.floor(minutes / 10));
  }
  return sampleOf(frame, sampleRate, r);
}

/** A length in words that fit a table: 1:02.4 */
export function duration(frames: number, sampleRate: number): string {
  const s = frames / sampleRate;
  return `${Math.floor(s / 60)}:${(s % 60).toFixed(1).padStart(4, "0")}`;
}

/** What is said of a text that is no timecode. */
export const noTimecode = "Type a timecode, such as 10:00:12:05; Escape puts it back";
