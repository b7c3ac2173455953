// How the channels of a take are read together. The server checks and applies; this only says what to ask for.
import type { Channel, ChannelSet, Take } from "../../api/client";

/** The set that a channel (from 1) is in, if any. */
export const setOf = (sets: ChannelSet[], index: number) => sets.find((s) => s.channels.includes(index));

/** Which label a channel carries in its set. */
export function labelIn(set: ChannelSet, index: number): string {
  if (set.kind === "sum") return "Σ";
  const label = set.labels[set.channels.indexOf(index)] ?? "";
  return (set.labels.length === 4 && { ACN0: "W", ACN1: "Y", ACN2: "Z", ACN3: "X" }[label]) || label;
}

/** Takes channels out of the sets that they are in; those sets end. */
export const without = (sets: ChannelSet[], channels: number[]) => sets.filter((s) => !s.channels.some((c) => channels.includes(c)));

/** The sets with some more in place of whatever their channels were in. */
export const together = (sets: ChannelSet[], ...more: ChannelSet[]) =>
  [
    ...without(
      sets,
      more.flatMap((s) => s.channels),
    ),
    ...more,
  ].sort((a, b) => Math.min(...a.channels) - Math.min(...b.channels));

/** Sides changed over. */
export const swapped = (set: ChannelSet): ChannelSet => ({ ...set, channels: [...set.channels].reverse() });

/** The set with a channel (from 1) carrying another of its labels; what had that label gets the channel's. */
export function relabelled(set: ChannelSet, channel: number, label: string): ChannelSet {
  const [from, to] = [set.channels.indexOf(channel), set.labels.indexOf(label)];
  if (from < 0 || to < 0) return set;
  const channels = [...set.channels];
  [channels[from], channels[to]] = [channels[to]!, channels[from]!];
  return { ...set, channels };
}

const orders: Record<number, { name: string; labels: string[] }[]> = {
  2: [{ name: "Stereo pair", labels: ["L", "R"] }],
  3: [{ name: "Left, right, centre", labels: ["L", "R", "C"] }],
  5: [{ name: "5.0: L R C Ls Rs", labels: ["L", "R", "C", "Ls", "Rs"] }],
  6: [
    { name: "5.1: L R C LFE Ls Rs", labels: ["L", "R", "C", "LFE", "Ls", "Rs"] },
    { name: "5.1 film order: L C R Ls Rs LFE", labels: ["L", "C", "R", "Ls", "Rs", "LFE"] },
    { name: "5.1: L R Ls Rs C LFE", labels: ["L", "R", "Ls", "Rs", "C", "LFE"] },
  ],
  8: [{ name: "7.1: L R C LFE Lss Rss Lrs Rrs", labels: ["L", "R", "C", "LFE", "Lss", "Rss", "Lrs", "Rrs"] }],
};

/** The order of a sound field of so many channels. */
const fieldOrders: Record<number, string> = { 4: "first order", 9: "second order", 16: "third order" };

/** FuMa's letters, in its order. */
const fuma = [..."WXYZRSTUVKLMNOPQ"];

/** Every way in which these channels can be read together, in the order in which they are given. */
export function waysOf(channels: number[]): { name: string; sets: ChannelSet[] }[] {
  const bonded = (of: number[], labels: string[]): ChannelSet => ({ kind: "bonded", channels: of, labels });
  const ways = (orders[channels.length] ?? []).map((o) => ({ name: o.name, sets: [bonded(channels, o.labels)] }));
  const n = channels.length;
  if (n === 2) ways.push({ name: "Stereo pair, sides changed over", sets: [bonded([...channels].reverse(), ["L", "R"])] });
  const pairs = (from: number) =>
    Array.from({ length: (n - from) / 2 }, (_, i) => bonded(channels.slice(from + 2 * i, from + 2 * i + 2), ["L", "R"]));
  if (n === 8 || n === 10)
    ways.push({
      name: n === 8 ? "5.1 and a stereo pair" : "5.1 and two stereo pairs",
      sets: [bonded(channels.slice(0, 6), orders[6]![0]!.labels), ...pairs(6)],
    });
  if (n >= 4 && n % 2 === 0) ways.push({ name: `${n / 2} stereo pairs`, sets: pairs(0) });
  const order = fieldOrders[channels.length];
  if (order) {
    const acn = channels.map((_, i) => `ACN${i}`);
    ways.push({ name: `Sound field, ${order}, ACN (SN3D)`, sets: [{ kind: "field", channels, labels: acn }] });
    ways.push({
      name: `Sound field, ${order}, FuMa (W X Y Z…)`,
      sets: [{ kind: "field", channels, labels: fuma.slice(0, channels.length) }],
    });
  }
  if (channels.length >= 2)
    ways.push({
      name: `Their sum, each at ${channels.length === 2 ? "−6 dB" : `1/${channels.length}`}`,
      sets: [{ kind: "sum", channels, labels: ["M"] }],
    });
  return ways;
}

/** The other ways in which the channels of a set can be read together. */
export const otherWays = (set: ChannelSet) =>
  waysOf([...set.channels].sort((a, b) => a - b)).filter(({ sets }) => JSON.stringify(sets) !== JSON.stringify([set]));

/** What a set is, in words. */
export function setName(s: ChannelSet): string {
  if (s.kind === "field") return s.labels[0] === "W" ? "sound field (FuMa)" : "sound field (ACN)";
  if (s.kind === "sum") return `sum of ${s.channels.length}`;
  return { 2: "stereo pair", 3: "L R C", 5: "5.0 set", 6: "5.1 set", 8: "7.1 set" }[s.channels.length] ?? "bonded set";
}

/** How many of the channels that are on belong to no set. */
export const singleCount = (take: Take): number => take.channels.filter((c) => c.unravelled && !setOf(take.sets, c.index)).length;

/** How many tracks unravel makes where each channel gets one: a set is one. */
export function trackCount(take: Take): number {
  const on = take.channels.filter((c) => c.unravelled).map((c) => c.index);
  return take.sets.filter((s) => s.channels.some((c) => on.includes(c))).length + singleCount(take);
}

/** A channel that carries nothing that another does not: it is folded away. */
export const spare = (c: Channel) => c.empty || !!c.findings?.some((f) => ["empty", "copy", "polarity"].includes(f.kind));

export function level(dB: number | null) {
  return dB === null ? "silent" : `${dB.toFixed(0).replace("-", "−")} dBFS`;
}

/** Why a channel is folded away, in a few words. */
export function whySpare(c: Channel): string {
  const copy = c.findings?.find((f) => f.kind === "copy" || f.kind === "polarity");
  return `${c.index}, ${c.name || "unnamed"}: ${copy ? `${copy.message.charAt(0).toLowerCase()}${copy.message.slice(1)}` : `empty (${level(c.rmsDBFS)})`}`;
}

/** The stem of a channel as it stands: decided, or suggested. */
export const stemOf = (c: Channel) => c.stem || c.suggested;

/** The strand of a channel as it stands. */
export const strandOf = (c: Channel) => c.strand || (stemOf(c) === c.suggested ? c.suggestedStrand : "");
