// @vitest-environment jsdom
import { act, renderHook } from "@testing-library/react";
import { afterEach, expect, test, vi } from "vitest";

import { justDone, useJustDone } from "./just";

const turns = (undo: string, redo = "", of = "reel") => ({ of, undo, redo });

test.each([
  ["an edit", turns("a"), turns("b"), "Done: b"],
  ["the first", turns(""), turns("a"), "Done: a"],
  ["taken back", turns("b"), turns("a", "b"), "Undone: b"],
  ["taken back, the last of all", turns("a"), turns("", "a"), "Undone: a"],
  ["brought back", turns("a", "b"), turns("b"), "Done again: b"],
  ["nothing", turns("a", "b"), turns("a", "b"), ""],
  ["an edit after taking back", turns("a", "b"), turns("c"), "Done: c"],
  ["nothing to bring back any more", turns("a", "b"), turns("a"), ""],
  ["another reel", turns("a"), turns("b", "", "other"), ""],
])("%s", (_, was, now, words) => expect(justDone(was, now)).toBe(words));

test("opening says nothing", () => {
  expect(justDone(undefined, turns("a", "b"))).toBe("");
  expect(justDone(turns("a"), undefined)).toBe("");
});

afterEach(() => vi.useRealTimers());

test("what was said does not stay", () => {
  vi.useFakeTimers();
  const { result, rerender } = renderHook(useJustDone, { initialProps: turns("a", "") });
  expect(result.current).toBe("");
  rerender(turns("", "a"));
  expect(result.current).toBe("Undone: a");
  rerender(turns("", "a"));
  act(() => void vi.advanceTimersByTime(5000));
  expect(result.current).toBe("");
  rerender(turns("a"));
  expect(result.current).toBe("Done again: a");
});
