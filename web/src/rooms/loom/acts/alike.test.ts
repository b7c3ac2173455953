import { expect, test } from "vitest";

import type { Clip, ReelView, Take } from "../../../api/client";
import { alike, isWorkedOn } from "./alike";

const clip = (id: string, more: Partial<Clip> = {}) =>
  ({ id, name: "12A/3", track: "a", take: "t", channels: [0], start: 100, offset: 0, length: 10, gainDB: 0, tie: "", ...more }) as Clip;
const view = {
  tracks: [
    { id: "a", stem: "DX", strand: "Ines" },
    { id: "b", stem: "DX", strand: "" },
    { id: "c", stem: "MX", strand: "" },
  ],
  clips: [
    clip("1"),
    clip("2", { track: "b", channels: [1, 0], name: "Two" }),
    clip("3", { track: "c", take: "u", mute: true }),
    clip("4", { track: "b", take: "u", channels: [1], home: 90, name: "Four" }),
    clip("5", { track: "a", take: "v", gainDB: -3, home: 100 }),
  ],
} as unknown as ReelView;
const takes = new Map<string, Take>([
  ["t", { channels: [{ name: "Boom" }, { name: "Ines lav" }] } as Take],
  ["u", { channels: [{ name: "" }, { name: "Boom" }] } as Take],
]);
const of = (by: Parameters<typeof alike>[2], clip?: string) =>
  alike(
    view,
    takes,
    by,
    view.clips.find((c) => c.id === clip),
  ).map((c) => c.id);

test("clips are chosen by what they have in common", () => {
  expect(of("take", "1")).toEqual(["1", "2"]);
  expect(of("microphone", "1")).toEqual(["1", "2", "4"]);
  expect(of("microphone", "3")).toEqual([]); // a channel without a name is no microphone
  expect(of("strand", "1")).toEqual(["1", "5"]);
  expect(of("strand", "2")).toEqual(["2", "4"]); // the strand without a name is that of its stem
  expect(of("stem", "3")).toEqual(["3"]);
  expect(of("name", "1")).toEqual(["1", "3", "5"]);
  expect(of("muted")).toEqual(["3"]);
  expect(of("adrift")).toEqual(["4"]);
  expect(of("worked")).toEqual(["5"]);
  expect(of("take")).toEqual([]);
});

test("what was done inside a clip counts, wherever", () => {
  for (const more of [
    { gain: [{ at: 1, value: 0 }] },
    { pan: [{ at: 1, value: 0 }] },
    { fadeIn: { length: 5, curve: "linear" } },
    { chain: [{ id: "1", kind: "gain" }] },
    { lanes: [{}, { cuts: [5] }] },
    { lanes: [{ off: true }] },
  ])
    expect(isWorkedOn(clip("x", more as Partial<Clip>)), JSON.stringify(more)).toBe(true);
  for (const more of [{}, { lanes: [{ cuts: [], gainDB: 0 }] }, { fadeOut: { length: 0, curve: "linear" } }])
    expect(isWorkedOn(clip("x", more as Partial<Clip>)), JSON.stringify(more)).toBe(false);
});
