import { expect, test } from "vitest";

import { many } from "./words";

test("one is one, and none are many", () => {
  expect([many(1, "take"), many(0, "take"), many(12, "take"), many(2, "piece of work", "pieces of work")]).toEqual([
    "1 take",
    "0 takes",
    "12 takes",
    "2 pieces of work",
  ]);
});
