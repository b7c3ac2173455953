// @vitest-environment jsdom
import { expect, it, vi } from "vitest";

import { back, backTo } from "./focus";

const closing = () => ({ target: null, preventDefault: vi.fn() }) as unknown as Event & { preventDefault: ReturnType<typeof vi.fn> };

it("is not taken from who has gone on, and else goes back", () => {
  document.body.innerHTML = "<input><button></button>";
  const [field, button] = [document.querySelector("input")!, document.querySelector("button")!];
  const first = closing();
  back(first);
  expect(first.preventDefault, "nobody has it: it goes where it was").not.toHaveBeenCalled();
  const second = closing();
  backTo(() => button)(second);
  expect(document.activeElement).toBe(button);
  field.focus();
  const third = closing();
  backTo(() => button)(third);
  back(third);
  expect(document.activeElement).toBe(field);
  expect(third.preventDefault).toHaveBeenCalledTimes(2);
});

it("is said of all that is opened over a page", () => {
  const files = import.meta.glob("../**/*.tsx", { query: "?raw", import: "default", eager: true }) as Record<string, string>;
  const without = Object.entries(files).flatMap(([name, text]) =>
    [...text.matchAll(/<(Popover|DropdownMenu|Dialog|Radix|AlertDialog)\.Content\b((?:[^<>]|=>)*)>/g)]
      .filter(([, , props]) => !props!.includes("onCloseAutoFocus"))
      .map(([tag]) => `${name}: ${tag.slice(0, 60)}`),
  );
  expect(without).toEqual([]);
});
