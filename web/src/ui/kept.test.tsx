// @vitest-environment jsdom
import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";

import { Kept } from "./kept";

const kept: string[] = [];
const field = (of: string, keyed = false, refuse = "") => (
  <Kept
    key={keyed ? of : "panel"}
    label="Gain"
    value="0.0"
    onKeep={(text) => {
      if (refuse) return refuse;
      kept.push(`${of}: ${text}`);
    }}
  />
);
const input = () => screen.getByLabelText<HTMLInputElement>("Gain");

describe("what is typed into a field", () => {
  afterEach(() => {
    cleanup();
    kept.length = 0;
  });

  // Typed for one clip, and then another is chosen: by a panel of its own, by the same one, or by none.
  for (const [how, keyed] of [
    ["a panel of its own", true],
    ["the same panel", false],
  ] as const) {
    it(`goes to the clip it was typed for, where another takes ${how}`, () => {
      const { rerender } = render(field("Boom", keyed));
      fireEvent.change(input(), { target: { value: "-12" } });
      rerender(field("Ines lav", keyed));
      fireEvent.blur(input());
      expect(kept).toEqual(["Boom: -12"]);
      expect(input().value).toBe("0.0");
    });
  }

  it("is kept where the panel goes away", () => {
    const { unmount } = render(field("Boom"));
    fireEvent.change(input(), { target: { value: "-12" } });
    unmount();
    expect(kept).toEqual(["Boom: -12"]);
  });

  it("is let be by Escape, and kept once by Enter", () => {
    render(field("Boom"));
    fireEvent.change(input(), { target: { value: "-12" } });
    fireEvent.keyDown(input(), { key: "Escape" });
    fireEvent.blur(input());
    expect(kept).toEqual([]);
    input().focus();
    fireEvent.change(input(), { target: { value: "-6" } });
    fireEvent.keyDown(input(), { key: "Enter" });
    expect(kept).toEqual(["Boom: -6"]);
  });

  it("stays where it is refused, and says why", () => {
    render(field("Boom", false, "A gain is a number"));
    fireEvent.change(input(), { target: { value: "loud" } });
    fireEvent.blur(input());
    expect(screen.getByRole("alert").textContent).toBe("A gain is a number");
    expect(input().value).toBe("loud");
    expect(input().getAttribute("aria-invalid")).toBe("true");
    fireEvent.change(input(), { target: { value: "-3" } });
    expect(screen.queryByRole("alert")).toBeNull();
  });
});
