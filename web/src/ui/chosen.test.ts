import { expect, it } from "vitest";

import { chosenOf } from "./chosen";

const list = [{ id: "a" }, { id: "b", was: "x" }];

it("is what has the ID, else gone, and the first only where nothing was chosen", () => {
  expect(chosenOf(list, "b")).toEqual({ it: list[1], gone: false });
  expect(chosenOf(list, "c")).toEqual({ it: undefined, gone: true });
  expect(chosenOf(list, undefined)).toEqual({ it: list[0], gone: false });
  expect(chosenOf(list, "")).toEqual({ it: list[0], gone: false });
  expect(chosenOf([], "")).toEqual({ it: undefined, gone: false });
  expect(chosenOf(undefined, "c"), "what is not known yet is not gone").toEqual({ it: undefined, gone: false });
  expect(chosenOf(list, "x", (id, all) => all.find((o) => "was" in o && o.was === id)).it).toBe(list[1]);
  expect(chosenOf(list, "", undefined, (all) => all[1]).it).toBe(list[1]);
});
