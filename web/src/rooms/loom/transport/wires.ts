// What the receiving deck makes of what it is told, many times a second: only what holds is said, and what was wrong stays noted.
import type { ReelView } from "../../../api/client";
import type { Arrival } from "../../../listen/player";

/** How many times in a row something must be told before it is said, and before it is noted: it is told about six times a second. */
export const holds = 3;
export const stays = 8;

/** An output of the deck. */
export type Wire = {
  /** What it carries, for long enough to say so. */
  says: Arrival;
  /** What is told of it now, and how many times in a row. */
  now: Arrival;
  times: number;
  /** What was wrong on it first, and where on the reel. */
  noted: { what: Arrival; at: number } | null;
};

export const faulty = (a: Arrival) => a.says !== "quiet" && a.says !== "right";

const nothing: Arrival = { says: "quiet", on: -1, alike: 0 };
const same = (a: Arrival, b: Arrival) => a.says === b.says && a.on === b.on;

export const noWires = (outputs: number): Wire[] =>
  Array.from({ length: outputs }, () => ({ says: nothing, now: nothing, times: 0, noted: null }));

/** Takes what was told at a place of the reel. */
export function taken(wires: Wire[], told: Arrival[], at: number): Wire[] {
  const list = wires.length === told.length ? wires : noWires(told.length);
  return list.map((w, i): Wire => {
    const now = told[i]!;
    const times = same(now, w.now) ? w.times + 1 : 1;
    return {
      now,
      times,
      says: times >= holds ? now : w.says,
      noted: w.noted ?? (faulty(now) && times >= stays ? { what: now, at } : null),
    };
  });
}

/** What an output is called: its group's tag, and its label. */
export function wireName(view: Pick<ReelView, "outputs" | "groups">, index: number): string {
  const o = view.outputs[index];
  const group = view.groups.find((g) => g.id === o?.group);
  return o ? `${group?.tag || group?.name || ""} ${o.label}`.trim() : "nothing";
}

/** What an output carries, in words. */
export function wireWords(view: Pick<ReelView, "outputs" | "groups">, index: number, a: Arrival): string {
  switch (a.says) {
    case "quiet":
      return "quiet";
    case "right":
      return "as it should";
    case "turned":
      return "polarity is turned";
    case "silent":
      return `silent, though ${wireName(view, index)} sounds`;
    case "wrong":
      return `carries what belongs on ${wireName(view, a.on)}`;
    case "other":
      return "carries what belongs on no output";
  }
}
