// Overviews of takes: fetched in chunks as they are needed, kept, and summed up to pixels.
import { base } from "../api/client";

/** Frames a bin stands for, fine to coarse; as the server has them. */
export const binFrames = [128, 2048, 32768] as const;
const chunkBins = 8192;
/** More chunks than this are not kept. */
const keep = 400;

type Chunk = Int16Array | "waiting" | "failed";
const chunks = new Map<string, Chunk>();
const listeners = new Set<() => void>();

/** Calls back when more has arrived. */
export function onOverview(f: () => void) {
  listeners.add(f);
  return () => {
    listeners.delete(f);
  };
}

async function fetchChunk(key: string, take: string, level: number, chunk: number) {
  try {
    const r = await fetch(`${base}/takes/${take}/overview?level=${level}&from=${chunk * chunkBins}&count=${chunkBins}`);
    if (!r.ok) throw new Error(String(r.status));
    chunks.set(key, new Int16Array(await r.arrayBuffer()));
  } catch {
    chunks.set(key, "failed");
    setTimeout(() => chunks.delete(key), 3000); // another drawing tries again
  }
  listeners.forEach((f) => f());
}

function chunkOf(take: string, level: number, chunk: number): Int16Array | null {
  const key = `${take}/${level}/${chunk}`;
  const have = chunks.get(key);
  if (have instanceof Int16Array) return have;
  if (!have) {
    if (chunks.size >= keep) chunks.delete(chunks.keys().next().value!);
    chunks.set(key, "waiting");
    void fetchChunk(key, take, level, chunk);
  }
  return null;
}

/** The coarsest resolution that still has a bin or more for each pixel. */
export function levelFor(framesPerPixel: number): number {
  let level = 0;
  for (let i = 1; i < binFrames.length; i++) if (binFrames[i]! <= framesPerPixel) level = i;
  return level;
}

export type Extent = { low: number; high: number };

/**
 * Gives the lowest and highest sample of one channel between two frames, full scale 1; null while it is on its way.
 * channels is how many the take has.
 */
export function extent(take: string, channels: number, channel: number, level: number, from: number, to: number): Extent | null {
  const per = binFrames[level]!;
  const first = Math.max(0, Math.floor(from / per));
  const last = Math.max(first, Math.ceil(to / per) - 1);
  let low = 0;
  let high = 0;
  // This is asked for thousands of times in a frame: a chunk is looked up once, however many of its bins are.
  for (let bin = first; bin <= last; ) {
    const chunk = Math.floor(bin / chunkBins);
    const data = chunkOf(take, level, chunk);
    if (!data) return null;
    const end = Math.min(last + 1, (chunk + 1) * chunkBins);
    for (let at = ((bin - chunk * chunkBins) * channels + channel) * 2; bin < end && at + 1 < data.length; bin++, at += 2 * channels) {
      if (data[at]! < low) low = data[at]!;
      if (data[at + 1]! > high) high = data[at + 1]!;
    }
    if (bin < end) break; // the take ends here
  }
  return { low: low / 32767, high: high / 32767 };
}
