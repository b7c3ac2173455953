import { expect, it } from "vitest";

import { foundOf } from "../shell/palette";
import { actions, type ActionID } from "./actions";
import { tradeWords } from "./tradewords";

const all = actions.map((a) => ({ id: a.id, name: a.does, about: "", also: tradeWords[a.id as ActionID] }));
const first = (typed: string) =>
  foundOf(all, typed)
    .slice(0, 5)
    .map((a) => a.id);

it("an act is found by what the trade calls it, and by our own word", () => {
  const words: [string, ActionID[]][] = [
    ["split", ["cut"]],
    ["crossfade", ["fade"]],
    ["ripple delete", ["close"]],
    ["silence", ["mute"]],
    ["room tone", ["tone"]],
    ["ambience", ["tone", "keep-quiet"]],
    ["duck", ["dip"]],
    ["routing", ["weave", "look", "pattern"]],
    ["crosspoint", ["weave"]],
    ["marker", ["lists", "mark"]],
    ["export", ["room-print", "print", "hand-over"]],
    ["import", ["bring-in", "room-takes"]],
    ["bounce", ["room-print", "settle"]],
    ["render", ["settle", "room-print"]],
    ["volume", ["gain", "louder", "dim", "dip"]],
    ["fader", ["board", "gain"]],
    ["loudness", ["room-gauge", "correct"]],
    ["EQ", ["chain"]],
    ["compressor", ["chain"]],
    ["EDL", ["cut-list"]],
    ["conform", ["cut-list"]],
    ["template", ["spec", "pattern"]],
    ["deliverables", ["spec"]],
    ["group", ["tie"]],
    ["link", ["tie", "tie-back"]],
    ["sync", ["room-sync", "line-up", "all-adrift"]],
    ["align", ["line-up", "room-sync"]],
    ["automation", ["curves"]],
    ["waveform zoom", ["waves-up"]],
    ["alternate take", ["borrow"]],
    ["automation envelope", ["curves"]],
    ["monitor", ["dim", "alone", "mono"]],
    ["preview", ["around"]],
    ["nudge", ["nudge-earlier", "nudge-back"]],
    ["in point", ["range-from"]],
    ["settle", ["settle"]],
    ["hush", ["hush"]],
    ["unravel", ["unravel"]],
  ];
  for (const [word, ids] of words)
    expect(
      first(word).filter((id) => ids.includes(id)),
      `${word} finds ${first(word)}`,
    ).not.toEqual([]);
  expect(foundOf(all, "gauge")[0]!.id, "what is called so comes first").toBe("room-gauge");
  expect(foundOf(all, "zzz")).toEqual([]);
});

it("no act is left without what it is called elsewhere by chance: those without are few, and each is plain", () => {
  const plain = actions.filter((a) => !tradeWords[a.id as ActionID]).length;
  expect(plain).toBeLessThan(actions.length / 3);
});
