// Where sounds begin in takes, as the server finds it: fetched in stretches as it is needed, and kept.
import { api, ok } from "../api/client";
import { told } from "./samples";

const stretch = 1 << 20;
/** More stretches than this are not kept. */
const keep = 2000;

const known = new Map<string, readonly number[]>();
const none: readonly number[] = [];

async function load(key: string, take: string, channel: number, from: number) {
  try {
    const query = { channel, from, count: stretch };
    known.set(key, await ok(api.GET("/takes/{take}/onsets", { params: { path: { take }, query } })));
  } catch {
    setTimeout(() => known.delete(key), 3000); // whoever asks again tries again
  }
  told();
}

/** The frames between two at which sounds begin on a channel of a take (from 0), as far as is known by now. */
export function onsetsIn(take: string, channel: number, from: number, to: number): number[] {
  const out: number[] = [];
  for (let at = Math.max(0, Math.floor(from / stretch)); at * stretch < to; at++) {
    const key = `${take}/${channel}/${at}`;
    const have = known.get(key);
    if (!have) {
      if (known.size >= keep) known.delete(known.keys().next().value!);
      known.set(key, none);
      void load(key, take, channel + 1, at * stretch);
    }
    for (const frame of have ?? none) if (frame >= from && frame < to) out.push(frame);
  }
  return out;
}
