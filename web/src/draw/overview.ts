// Overviews of takes: fetched in chunks as they are needed, kept, and summed up to pixels.
import { base } from "../api/client";
import { onSamples } from "./samples";

/** Frames a bin stands for, fine to coarse; as the server has them. */
export const binFrames = [128, 2048, 32768] as const;
const chunkBins = 8192;
/** Bytes of overviews that are kept. Those in view stay, however many they are. */
const budget = 96 << 20;
/** What was drawn so lately is in view, in milliseconds. */
const inView = 2000;
/** How many chunks are fetched at once; the rest waits its turn. */
const parallel = 8;

type Chunk = { take: string; level: number; chunk: number; data: Int16Array | null; used: number };

/** Chunks of overviews, fetched as they are drawn. What was not drawn for longest goes first when there is too much. */
export class Overviews {
  private chunks = new Map<string, Chunk>();
  private waiting: { key: string; path: string }[] = [];
  private fetching = 0;
  private bytes = 0;
  /** What was asked for last: a clip asks for the same piece for each of its pixels. */
  private last: Chunk | null = null;
  private listeners = new Set<() => void>();

  constructor(
    private load: (path: string) => Promise<ArrayBuffer>,
    private now: () => number = () => performance.now(),
    private most = budget,
  ) {}

  /** Calls back when more has arrived. */
  subscribe(f: () => void) {
    this.listeners.add(f);
    return () => {
      this.listeners.delete(f);
    };
  }

  /** A chunk of a take; null while it is on its way. */
  chunk(take: string, level: number, chunk: number): Int16Array | null {
    const { last } = this;
    if (last?.data && last.chunk === chunk && last.level === level && last.take === take) return last.data;
    const key = `${take}/${level}/${chunk}`;
    const have = this.chunks.get(key);
    if (have) {
      if (last) last.used = this.now(); // it was in use until here
      have.used = this.now();
      this.last = have;
      return have.data;
    }
    this.chunks.set(key, { take, level, chunk, data: null, used: this.now() });
    this.waiting.push({ key, path: `/takes/${take}/waveform?level=${level}&from=${chunk * chunkBins}&count=${chunkBins}` });
    this.pump();
    return null;
  }

  private pump() {
    while (this.fetching < parallel && this.waiting.length > 0) {
      const next = this.waiting.pop()!; // what was asked for last is in view
      this.fetching++;
      void this.fetch(next.key, next.path).finally(() => {
        this.fetching--;
        this.pump();
      });
    }
  }

  private async fetch(key: string, path: string) {
    const chunk = this.chunks.get(key);
    if (!chunk) return;
    try {
      chunk.data = new Int16Array(await this.load(path));
      this.bytes += chunk.data.byteLength;
      this.letGo();
    } catch {
      setTimeout(() => this.chunks.delete(key), 3000); // another drawing tries again
    }
    this.listeners.forEach((f) => f());
  }

  private letGo() {
    if (this.bytes <= this.most) return;
    const now = this.now();
    if (this.last) this.last.used = now;
    const old = [...this.chunks].filter(([, c]) => c.data && now - c.used > inView).sort((a, b) => a[1].used - b[1].used);
    for (const [key, c] of old) {
      if (this.bytes <= this.most) return;
      this.bytes -= c.data!.byteLength;
      this.chunks.delete(key);
    }
  }
}

const overviews = new Overviews(async (path) => {
  const r = await fetch(base + path);
  if (!r.ok) throw new Error(String(r.status));
  return r.arrayBuffer();
});

let arrived = 0;
overviews.subscribe(() => arrived++);
onSamples(() => arrived++);

/** How often anything of what is drawn has arrived by now: what was worked out before it may be other than it would be now. */
export const arrivedSoFar = () => arrived;

/** Calls back when more has arrived. */
export const onOverview = (f: () => void) => overviews.subscribe(f);

const chunkOf = (take: string, level: number, chunk: number) => overviews.chunk(take, level, chunk);

/** The coarsest resolution that still has a bin or more for each pixel. */
export function levelFor(framesPerPixel: number): number {
  let level = 0;
  for (let i = 1; i < binFrames.length; i++) if (binFrames[i]! <= framesPerPixel) level = i;
  return level;
}

export type Peaks = { low: number; high: number };

/** rms is relative to a full-scale square wave. */
export type Extent = Peaks & { rms: number };

/** What a bin has of each channel: its lowest and its highest sample, and their RMS. */
const perBin = 3;

/**
 * Gives the lowest and highest sample of one channel between two frames and their RMS, full scale 1; null while it is on its way.
 * channels is how many the take has.
 */
export function extent(take: string, channels: number, channel: number, level: number, from: number, to: number): Extent | null {
  const per = binFrames[level]!;
  const first = Math.max(0, Math.floor(from / per));
  const last = Math.max(first, Math.ceil(to / per) - 1);
  let low = 0;
  let high = 0;
  let power = 0;
  let bins = 0;
  // This is asked for thousands of times in a frame: a chunk is looked up once, however many of its bins are.
  for (let bin = first; bin <= last; ) {
    const chunk = Math.floor(bin / chunkBins);
    const data = chunkOf(take, level, chunk);
    if (!data) return null;
    const end = Math.min(last + 1, (chunk + 1) * chunkBins);
    for (let at = ((bin - chunk * chunkBins) * channels + channel) * perBin; bin < end && at + 2 < data.length; at += perBin * channels) {
      const l = data[at]!;
      const h = data[at + 1]!;
      const rms = data[at + 2]!;
      if (l < low) low = l;
      if (h > high) high = h;
      power += rms * rms;
      bins++;
      bin++;
    }
    if (bin < end) break; // the take ends here
  }
  return { low: low / 32767, high: high / 32767, rms: bins > 0 ? Math.sqrt(power / bins) / 32767 : 0 };
}
