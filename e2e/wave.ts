// Reads the WAVE files that come out, byte for byte and without any of the product's own code.
import { readFileSync } from "node:fs";

export type WaveFile = {
  channels: number;
  rate: number;
  bits: number;
  frames: number;
  timeReference: number;
  ixml: string;
  sample: (frame: number, channel: number) => number;
};

export function readWave(source: string | Buffer): WaveFile {
  const b = typeof source === "string" ? readFileSync(source) : source;
  const chunks = new Map<string, Buffer>();
  for (let at = 12; at + 8 <= b.length; ) {
    const id = b.toString("latin1", at, at + 4);
    const size = b.readUInt32LE(at + 4);
    chunks.set(id, b.subarray(at + 8, at + 8 + size));
    at += 8 + size + (size & 1);
  }
  const fmt = chunks.get("fmt ")!;
  const data = chunks.get("data")!;
  const channels = fmt.readUInt16LE(2);
  const bits = fmt.readUInt16LE(14);
  const bytes = bits / 8;
  return {
    channels,
    bits,
    rate: fmt.readUInt32LE(4),
    frames: data.length / channels / bytes,
    timeReference: chunks.has("bext") ? Number(chunks.get("bext")!.readBigUInt64LE(338)) : -1,
    ixml: chunks.get("iXML")?.toString("utf8") ?? "",
    sample: (frame, channel) => data.readIntLE((frame * channels + channel) * bytes, bytes),
  };
}
