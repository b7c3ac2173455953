// What a take says of the treatment of its channels.
import type { ChainStep, Clip, Take } from "../../api/client";
import { setOf } from "./reading";

/** The treatment of a channel (from 0). */
export const treatmentOf = (take: Take, channel: number) => take.treatments.find((t) => t.channels.includes(channel));

/** The channels (from 0) that are treated with one: those of its set, which one detector drives. */
export const together = (take: Take, channel: number) =>
  setOf(take.sets, channel + 1)
    ?.channels.map((c) => c - 1)
    .sort((a, b) => a - b) ?? [channel];

/** Channels as people call them. */
export const micNames = (take: Take, channels: number[]) => channels.map((c) => take.channels[c]?.name || `channel ${c + 1}`).join(", ");

/** A chain with what is suggested behind it, unless it has one of the kind already. */
export function treatedTogether(kept: ChainStep[], suggested: ChainStep[]): ChainStep[] {
  const fresh = suggested.filter((s) => !kept.some((k) => k.kind === s.kind));
  const ids = new Set(kept.map((k) => k.id));
  return [...kept, ...fresh.map((s) => ({ ...s, id: ids.has(s.id) ? `${s.id}-2` : s.id }))];
}

/** Whether something is suggested against a finding that the channel's treatment does not do yet. */
export const helps = (take: Take, channel: number, f: { remedy?: ChainStep[] }) =>
  !!f.remedy?.some((s) => !treatmentOf(take, channel)?.steps.some((k) => k.kind === s.kind));

/** Whether anything that a clip has is treated, were it not to say no. */
export const isTreated = (clip: Clip, take: Take | undefined) =>
  !!take?.treatments.some((t) => !t.off && t.steps.some((s) => !s.off) && t.channels.some((c) => clip.channels.includes(c)));
