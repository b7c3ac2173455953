// @vitest-environment jsdom
import { act, renderHook } from "@testing-library/react";
import { createElement, type ReactNode } from "react";
import { expect, test, vi } from "vitest";

import { FieldsOf, leave, useDraft } from "./draft";

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

test("where a field comes to be of something else, what was typed goes to the one before and is gone from the field", () => {
  const keeps = { Boom: vi.fn(), Ines: vi.fn() };
  let of: keyof typeof keeps = "Boom";
  const { result, rerender } = renderHook(() => useDraft(of, keeps[of]), {
    wrapper: ({ children }: { children: ReactNode }) => createElement(FieldsOf.Provider, { value: of }, children),
  });
  act(() => result.current.field.onChange({ target: { value: "Boom A" } } as never));
  rerender(); // an edit of the same
  expect(result.current.field.value).toBe("Boom A");
  of = "Ines";
  rerender();
  expect(result.current.field.value).toBe("Ines");
  expect(keeps.Boom).toHaveBeenCalledExactlyOnceWith("Boom A");
  expect(keeps.Ines).not.toHaveBeenCalled();
});

test("what is refused stays with the reason; Escape lets it be", () => {
  const { result } = renderHook(() => useDraft("Boom", () => "That name is taken"));
  act(() => result.current.begin());
  act(() => result.current.field.onChange({ target: { value: "Ines" } } as never));
  act(() => result.current.field.onBlur());
  expect(result.current).toMatchObject({ draft: "Ines", refused: "That name is taken" });
  const field = document.createElement("input");
  act(() => result.current.field.onKeyDown({ key: "Escape", preventDefault: () => undefined, currentTarget: field } as never));
  expect(result.current).toMatchObject({ draft: null, refused: "" });
});

test("a field is left for where one was, and in a dialog one stays", () => {
  document.body.innerHTML = `<div role="gridcell" tabindex="0" id="cell"></div><button id="b"></button><input id="f" />
    <div role="dialog"><input id="d" /></div>`;
  const at = (id: string) => document.getElementById(id)!;
  const from = (id: string, before: string | null) => {
    at(id).focus();
    leave(at(id), before === null ? null : at(before));
    return document.activeElement?.id ?? "";
  };
  expect(from("f", "cell")).toBe("cell");
  expect(from("f", "b")).toBe(""); // the page: Tab goes on behind the field
  expect(from("f", null)).toBe("");
  expect(from("d", "cell")).toBe("d");
  const gone = at("cell");
  gone.remove();
  at("f").focus();
  leave(at("f"), gone);
  expect(document.activeElement).toBe(document.body);
});

test("what is refused keeps the field, what is kept leaves it", () => {
  let why: string | undefined = "That name is taken";
  const { result } = renderHook(() => useDraft("Boom", () => why));
  const field = document.createElement("input");
  document.body.append(field);
  const enter = () =>
    act(() => result.current.field.onKeyDown({ key: "Enter", preventDefault: () => undefined, currentTarget: field } as never));
  field.focus();
  act(() => result.current.field.onChange({ target: { value: "Ines" } } as never));
  enter();
  expect(document.activeElement).toBe(field);
  why = undefined;
  enter();
  expect(document.activeElement).toBe(document.body);
});
