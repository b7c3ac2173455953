// Samples of takes, for drawings that go closer than overviews: fetched in chunks as they are needed, and kept.
import { base } from "../api/client";

const chunkFrames = 48000;
/** More chunks than this are not kept. */
const keep = 60;

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

async function fetchChunk(key: string, take: string, channel: number, chunk: number) {
  try {
    const r = await fetch(`${base}/takes/${take}/samples?channel=${channel}&from=${chunk * chunkFrames}&count=${chunkFrames}`);
    if (!r.ok) throw new Error(String(r.status));
    chunks.set(key, new Float32Array(await r.arrayBuffer()));
  } catch {
    chunks.set(key, "failed");
    setTimeout(() => chunks.delete(key), 3000); // another drawing tries again
  }
  listeners.forEach((f) => f());
}

/** One sample of a channel (from 1; 0 is all added up), full scale 1; null while it is on its way. */
export function sampleAt(take: string, channel: number, frame: number): number | null {
  const chunk = Math.floor(frame / chunkFrames);
  const key = `${take}/${channel}/${chunk}`;
  const have = chunks.get(key);
  if (have instanceof Float32Array) return have[frame - chunk * chunkFrames] ?? 0;
  if (!have) {
    if (chunks.size >= keep) chunks.delete(chunks.keys().next().value!);
    chunks.set(key, "waiting");
    void fetchChunk(key, take, channel, chunk);
  }
  return null;
}
