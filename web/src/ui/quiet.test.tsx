// @vitest-environment jsdom
import { fireEvent, render } from "@testing-library/react";
import { expect, it } from "vitest";

import { quiet } from "./quiet";

it("is drawn again where what it shows has changed, and does what is meant now", () => {
  let drawn = 0;
  const did: string[] = [];
  const Shown = quiet((p: { name: string; onPress: () => void }) => {
    drawn++;
    return <button onClick={p.onPress}>{p.name}</button>;
  });
  const at = (name: string, mark: string) => <Shown name={name} onPress={() => did.push(mark)} />;
  const { rerender, getByRole } = render(at("a", "first"));
  rerender(at("a", "second"));
  expect(drawn).toBe(1);
  fireEvent.click(getByRole("button"));
  rerender(at("b", "third"));
  fireEvent.click(getByRole("button"));
  expect([drawn, did]).toEqual([2, ["second", "third"]]);
  expect(getByRole("button").textContent).toBe("b");
});
