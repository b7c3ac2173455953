// @vitest-environment jsdom
import { act, renderHook } from "@testing-library/react";
import { expect, test, vi } from "vitest";

import { useAhead } from "./ahead";

test("what was asked for is shown until it is answered, and only once sent", async () => {
  const answers: (() => void)[] = [];
  const send = vi.fn(() => new Promise<void>((done) => answers.push(done)));
  const { result, rerender } = renderHook(({ value }) => useAhead(value, send), { initialProps: { value: 0 } });
  act(() => result.current.show(0.5));
  expect([result.current.shown, send.mock.calls.length]).toEqual([0.5, 0]);
  act(() => result.current.send(0.5));
  act(() => result.current.send(0.7));
  expect(result.current.shown).toBe(0.7);
  rerender({ value: 0.5 });
  await act(async () => answers[0]!());
  expect(result.current.shown, "the first answer does not take back what was asked for since").toBe(0.7);
  rerender({ value: 0.6 }); // somebody else was faster
  await act(async () => answers[1]!());
  expect(result.current.shown).toBe(0.6);
  act(() => result.current.show(0.9));
  act(() => result.current.send(0.6));
  expect([result.current.shown, send.mock.calls.length], "what there is already is not sent").toEqual([0.6, 2]);
});
