// @vitest-environment jsdom
import { act, renderHook } from "@testing-library/react";
import { expect, test, vi } from "vitest";

import { useDraft } from "./draft";

test("nothing is being typed until it is begun, and a draft goes where it was begun", () => {
  const first = vi.fn();
  const second = vi.fn();
  const { result, rerender, unmount } = renderHook(({ value, keep }) => useDraft(value, keep), {
    initialProps: { value: "Boom", keep: first },
  });
  expect(result.current.draft).toBeNull();
  act(() => result.current.begin());
  expect(result.current.draft).toBe("Boom");
  act(() => result.current.field.onChange({ target: { value: "Boom A " } } as never));
  rerender({ value: "Ines", keep: second });
  unmount();
  expect(first).toHaveBeenCalledWith("Boom A");
  expect(second).not.toHaveBeenCalled();
});

test("what is refused stays with the reason; Escape lets it be", () => {
  const { result } = renderHook(() => useDraft("Boom", () => "That name is taken"));
  act(() => result.current.begin());
  act(() => result.current.field.onChange({ target: { value: "Ines" } } as never));
  act(() => result.current.field.onBlur());
  expect(result.current).toMatchObject({ draft: "Ines", refused: "That name is taken" });
  act(() => result.current.field.onKeyDown({ key: "Escape", preventDefault: () => undefined } as never));
  expect(result.current).toMatchObject({ draft: null, refused: "" });
});
