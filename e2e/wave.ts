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

/** A WAVE file of samples that are 24 bits and one channel wide; with hours, stamped as recorded then, after midnight. */
export const monoFile = (data: Buffer, rate: number, hours?: number) => waveFile(data, rate, 1, { hours });

/** A WAVE file of interleaved samples that are 24 bits wide; with hours, stamped as recorded then, and with names of its channels. */
export function waveFile(
  data: Buffer,
  rate: number,
  channels: number,
  { hours, names }: { hours?: number; names?: string[] } = {},
): Buffer {
  const chunk = (id: string, body: Buffer) => {
    const head = Buffer.alloc(8);
    head.write(id);
    head.writeUInt32LE(body.length, 4);
    return Buffer.concat([head, body, Buffer.alloc(body.length & 1)]);
  };
  const format = Buffer.alloc(16);
  format.writeUInt16LE(1, 0);
  format.writeUInt16LE(channels, 2);
  format.writeUInt32LE(rate, 4);
  format.writeUInt32LE(rate * channels * 3, 8);
  format.writeUInt16LE(channels * 3, 12);
  format.writeUInt16LE(24, 14);
  const chunks = [chunk("fmt ", format), chunk("data", data)];
  if (names) {
    const tracks = names.map(
      (name, i) =>
        `<TRACK><CHANNEL_INDEX>${i + 1}</CHANNEL_INDEX><INTERLEAVE_INDEX>${i + 1}</INTERLEAVE_INDEX><NAME>${name}</NAME></TRACK>`,
    );
    const text = `<BWFXML><TRACK_LIST><TRACK_COUNT>${names.length}</TRACK_COUNT>${tracks.join("")}</TRACK_LIST></BWFXML>`;
    chunks.unshift(chunk("iXML", Buffer.from(text)));
  }
  if (hours !== undefined) {
    const bext = Buffer.alloc(602);
    bext.writeBigUInt64LE(BigInt(Math.round(hours * 3600 * rate)), 338);
    chunks.unshift(chunk("bext", bext));
  }
  const body = Buffer.concat([Buffer.from("WAVE"), ...chunks]);
  return chunk("RIFF", body);
}
