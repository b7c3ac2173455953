// Samples of takes, for drawings that go closer than overviews: fetched in chunks as they are needed, and kept.
import { base } from "../api/client";
import type { Extent } from "./overview";

const chunkFrames = 48000;
/** More chunks than this are not kept: 77 MB. */
const keep = 400;

type Chunk = Float32Array | "waiting" | "failed";
const chunks = new Map<string, Chunk>();
const listeners = new Set<() => void>();

/** Calls back when more has arrived. */
export function onSamples(f: () => void) {
  listeners.add(f);
  return () => {
    listeners.delete(f);
  };
}

/** Says that more has arrived. */
export const told = () => listeners.forEach((f) => f());

async function fetchChunk(key: string, take: string, channel: number, chunk: number) {
  try {
    const r = await fetch(`${base}/takes/${take}/samples?channel=${channel}&from=${chunk * chunkFrames}&count=${chunkFrames}`);
    if (!r.ok) throw new Error(String(r.status));
    chunks.set(key, new Float32Array(await r.arrayBuffer()));
  } catch {
    chunks.set(key, "failed");
    setTimeout(() => chunks.delete(key), 3000); // another drawing tries again
  }
  told();
}

/** A chunk of a channel (from 1; 0 is all added up); null while it is on its way. */
function chunkOf(take: string, channel: number, chunk: number): Float32Array | null {
  const key = `${take}/${channel}/${chunk}`;
  const have = chunks.get(key);
  if (have instanceof Float32Array) return have;
  if (!have) {
    if (chunks.size >= keep) chunks.delete(chunks.keys().next().value!);
    chunks.set(key, "waiting");
    void fetchChunk(key, take, channel, chunk);
  }
  return null;
}

/** One sample of a channel (from 1; 0 is all added up), full scale 1; null while it is on its way. */
export function sampleAt(take: string, channel: number, frame: number): number | null {
  const chunk = Math.floor(frame / chunkFrames);
  const have = chunkOf(take, channel, chunk);
  return have && (have[frame - chunk * chunkFrames] ?? 0);
}

/** The same of a channel between two frames as overviews have it: from 0 to its lowest and highest, and their RMS. */
export function extentOfSamples(take: string, channel: number, from: number, to: number): Extent | null {
  let low = 0;
  let high = 0;
  let power = 0;
  for (let at = from; at < to; ) {
    const chunk = Math.floor(at / chunkFrames);
    const have = chunkOf(take, channel, chunk);
    if (!have) return null;
    for (const end = Math.min(to, (chunk + 1) * chunkFrames); at < end; at++) {
      const v = have[at - chunk * chunkFrames] ?? 0;
      if (v < low) low = v;
      if (v > high) high = v;
      power += v * v;
    }
  }
  return { low, high, rms: Math.sqrt(power / Math.max(1, to - from)) };
}
