// @vitest-environment jsdom
import { act, renderHook } from "@testing-library/react";
import { expect, test } from "vitest";

import { useLookedAt } from "./remembered";

test("what was set for one thing is there when it is looked at again, and for no other", () => {
  const look = (name: string) => renderHook(() => useLookedAt(name, 0));
  const first = look("a");
  act(() => first.result.current[1](6));
  act(() => first.result.current[1]((n) => n + 1));
  expect(first.result.current[0]).toBe(7);
  first.unmount();
  expect(look("b").result.current[0]).toBe(0);
  expect(look("a").result.current[0]).toBe(7);
});
