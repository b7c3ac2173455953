// Which takes can stand in place of a clip's own, and what has to be done that they fit.
import type { Clip, Command, Take } from "../../../api/client";
import { duration } from "../../../ui/timecode";

export type Replacement = {
  take: Take;
  /** What is done; null where it does not fit at all. */
  command: Command | null;
  /** Why it does not fit, or what is done that it does; empty where it fits as it is. */
  note: string;
};

/** All takes but the clip's own, likely ones first: those that fit, of its scene, of its roll, as wide, of its kind. */
export function replacements(clip: Clip, takes: Take[], sampleRate: number): Replacement[] {
  const own = takes.find((t) => t.id === clip.take);
  const list = takes.filter((t) => t.id !== clip.take && t.channels.length > 0).map((take) => fitted(clip, take, sampleRate));
  const rank = ({ take: t, command, note }: Replacement) => [
    command === null,
    note !== "",
    !t.description.scene || t.description.scene !== own?.description.scene,
    t.description.roll !== own?.description.roll,
    t.channels.length !== own?.channels.length,
    t.kind !== own?.kind,
  ];
  return list
    .map((r) => ({ r, rank: rank(r).reduce((sum, worse) => 2 * sum + Number(worse), 0) }))
    .sort((a, b) => a.rank - b.rank)
    .map(({ r }) => r);
}

function fitted(clip: Clip, take: Take, sampleRate: number): Replacement {
  const d = take.description;
  const swap: Command = { kind: "swapTake", command: { clip: clip.id, take: take.id, shift: 0 } };
  const no = (note: string) => ({ take, command: null, note });
  if (d.sampleRate !== sampleRate) return no(`at ${d.sampleRate / 1000} kHz: resample it under Takes`);
  const first: Command[] = [];
  const notes: string[] = [];
  const width = clip.channels.length;
  if (take.channels.length <= Math.max(...clip.channels)) {
    if (take.channels.length < width || clip.tie || clip.matrix)
      return no(`has ${take.channels.length} channels, and channel ${Math.max(...clip.channels) + 1} is used`);
    first.push({ kind: "readChannels", command: { clip: clip.id, channels: clip.channels.map((_, i) => i), sum: clip.sum ?? false } });
    notes.push(width === 1 ? "its channel 1" : `its channels 1–${width}`);
  }
  const over = clip.offset + clip.length - d.frames;
  if (over >= clip.length) return no("ends before the place that is used");
  if (over > 0) {
    first.push({ kind: "trimClip", command: { clip: clip.id, edge: "end", by: -over } });
    notes.push(`${duration(over, sampleRate)} shorter`);
  }
  const command: Command = first.length === 0 ? swap : { kind: "several", command: { commands: [...first, swap] } };
  return { take, command, note: notes.join(", ") };
}
