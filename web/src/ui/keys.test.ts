import { beforeEach, describe, expect, it } from "vitest";

import { actions, keyOf, pressed, resetKeys, setKey } from "./keys";

const press = (key: string, mods: Partial<KeyboardEvent> = {}) =>
  pressed({ key, ctrlKey: false, metaKey: false, shiftKey: false, altKey: false, ...mods });

describe("keys", () => {
  beforeEach(resetKeys);

  it("names presses", () => {
    expect(press(" ")).toBe("Space");
    expect(press("z", { ctrlKey: true })).toBe("Mod+Z");
    expect(press("Z", { metaKey: true, shiftKey: true })).toBe("Mod+Shift+Z");
    expect(press("?", { shiftKey: true })).toBe("?");
    expect(press("ArrowLeft", { shiftKey: true })).toBe("Shift+ArrowLeft");
  });

  it("has no key twice in one room", () => {
    for (const rooms of [["takes"], ["sync"], ["loom", "cutting"]]) {
      const keys = actions.filter((a) => rooms.includes(a.room) || a.room === "everywhere").map((a) => a.key);
      expect(new Set(keys).size).toBe(keys.length);
    }
  });

  it("lets every key be changed, and says what lost it", () => {
    expect(setKey("mute", "S")).toBe("Hear the selected track with others that are soloed");
    expect(keyOf("mute")).toBe("S");
    expect(keyOf("solo")).toBe("");
    resetKeys();
    expect(keyOf("mute")).toBe("X");
  });
});
