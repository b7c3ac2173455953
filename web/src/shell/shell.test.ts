import { expect, test } from "vitest";

import { finds } from "./palette";
import { titleOf } from "./title";

test("the title says where one is, the narrowest first", () => {
  expect(titleOf("/p/1/loom/2", "The Lantern Ferry", "Reel 1")).toBe("Reel 1 – Loom – The Lantern Ferry – Zesty Loom");
  expect(titleOf("/p/1/takes", "The Lantern Ferry")).toBe("Takes – The Lantern Ferry – Zesty Loom");
  expect(titleOf("/")).toBe("Zesty Loom");
});

test("a command is found by any of its letters, in any order of words", () => {
  expect(finds("Cut every track at the playhead", "playh CUT")).toBe(true);
  expect(finds("Cut every track at the playhead", "cut reel")).toBe(false);
  expect(finds("Anything", "")).toBe(true);
});
