import { expect, test } from "vitest";

import { calledAfter } from "./reload";

const groups = [
  { id: "mix", name: "Full mix" },
  { id: "music", name: "Music" },
  { id: "minus", name: "Mix minus music" },
];

test.each([
  ["New music.wav", "music"],
  ["FERRY_Mix_minus_music_v2.wav", "minus"],
  ["full-mix.wav", "mix"],
  ["Wheelhouse.wav", ""],
])("%s takes the place of what it is called after", (file, group) => expect(calledAfter(file, groups)).toBe(group));
