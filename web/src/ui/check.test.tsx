// @vitest-environment jsdom
import { act, cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, expect, it } from "vitest";

import { Check } from "./check";

afterEach(cleanup);

it("is ticked at once, and as it was where the server refuses", async () => {
  let refuse: (e: Error) => void = () => undefined;
  const asked: boolean[] = [];
  render(
    <Check
      on={false}
      label="polarity"
      onChange={(on) => {
        asked.push(on);
        return new Promise((_, fail) => (refuse = fail));
      }}
    />,
  );
  const box = screen.getByLabelText<HTMLInputElement>("polarity");
  fireEvent.click(box);
  expect(asked).toEqual([true]);
  expect(box.checked).toBe(true);
  await act(async () => refuse(new Error("no")));
  expect(box.checked).toBe(false);
});
