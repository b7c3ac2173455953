// @vitest-environment jsdom
import { renderHook } from "@testing-library/react";
import { expect, test } from "vitest";

import { useAllBut, useKept, useParts, useSame } from "./parts";

const reel = { revision: 1, tracks: ["boom"], findings: [] as string[] };

test("an object stays as long as the parts that are asked for do", () => {
  const { result, rerender } = renderHook(({ r }) => [useParts(r, "tracks"), useAllBut(r, "revision")] as const, {
    initialProps: { r: reel },
  });
  rerender({ r: { ...reel, revision: 2 } });
  expect(result.current).toEqual([reel, reel]);
  expect(result.current[0]).toBe(reel);
  expect(result.current[1]).toBe(reel);
  const found = { ...reel, revision: 3, findings: ["unfed"] };
  rerender({ r: found });
  expect(result.current[0]).toBe(reel);
  expect(result.current[1]).toBe(found);
});

test("a list is the same with the same in it", () => {
  const { result, rerender } = renderHook(({ list }) => useSame(list), { initialProps: { list: [reel, reel] } });
  const first = result.current;
  rerender({ list: [reel, reel] });
  expect(result.current).toBe(first);
  rerender({ list: [reel] });
  expect(result.current).toEqual([reel]);
});

test("of a list that is made anew, what has not changed stays", () => {
  const { result, rerender } = renderHook(({ names }) => useKept(names.map((name) => ({ name }))), { initialProps: { names: ["a", "b"] } });
  const first = result.current;
  rerender({ names: ["a", "b"] });
  expect(result.current).toBe(first);
  rerender({ names: ["a", "c", "d"] });
  expect(result.current.map((x) => x.name)).toEqual(["a", "c", "d"]);
  expect(result.current[0]).toBe(first[0]);
});
