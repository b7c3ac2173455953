// @vitest-environment jsdom
import { fireEvent, renderHook } from "@testing-library/react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import { type Action, type ActionID, actions } from "./actions";
import { available, keyOf, perform, pressed, readKeys, resetKeys, savedKeys, setKey, useActions } from "./keys";

const press = (key: string, mods: Partial<KeyboardEvent> = {}) =>
  pressed({ key, code: "", ctrlKey: false, metaKey: false, shiftKey: false, altKey: false, ...mods });

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
      const keys = actions.filter((a) => rooms.includes(a.room) || a.room === "everywhere").flatMap((a: Action) => a.key || []); // some have none of their own
      expect(new Set(keys).size).toBe(keys.length);
    }
  });

  it("lets every key be changed, and says what lost it", () => {
    expect(setKey("mute", "S")).toBe("Hear the chosen track with others that are soloed");
    expect(keyOf("mute")).toBe("S");
    expect(keyOf("solo")).toBe("");
    resetKeys();
    expect(keyOf("mute")).toBe("X");
  });
});

/** A press of a key of the table, as a browser tells it. */
function init(key: string): KeyboardEventInit {
  const parts = key.split(/\+(?=.)/);
  const name = parts.at(-1)!;
  const shiftKey = parts.includes("Shift");
  const letter = /^[A-Z]$/.test(name);
  return {
    key: name === "Space" ? " " : letter && !shiftKey ? name.toLowerCase() : name,
    code: letter ? `Key${name}` : /^\d$/.test(name) ? `Digit${name}` : name,
    ctrlKey: parts.includes("Mod"),
    altKey: parts.includes("Alt"),
    shiftKey,
    bubbles: true,
    cancelable: true,
  };
}

describe("pressing keys", () => {
  beforeEach(resetKeys);
  afterEach(() => {
    document.body.innerHTML = "";
  });
  const listen = (id: ActionID) => {
    const run = vi.fn();
    const { unmount } = renderHook(() => useActions({ [id]: run }));
    return { run, unmount };
  };

  it("does what every key in the list says, once, and again while it is held only where that is meant", () => {
    for (const a of (actions as readonly Action[]).filter((a) => a.key !== "")) {
      const { run, unmount } = listen(a.id as ActionID);
      fireEvent.keyDown(window, init(a.key));
      if (a.pastes) fireEvent.paste(window, { clipboardData: { getData: () => "what was copied" } });
      expect(run, `${a.key}: ${a.does}`).toHaveBeenCalledTimes(1);
      for (let i = 0; i < 4; i++) fireEvent.keyDown(window, { ...init(a.key), repeat: true });
      expect(run, `${a.key} held: ${a.does}`).toHaveBeenCalledTimes(a.again ? 5 : 1);
      unmount();
      fireEvent.keyDown(window, init(a.key));
      expect(run).toHaveBeenCalledTimes(a.again ? 5 : 1);
    }
  });

  it("brings what is on the clipboard along, where the browser pastes, and goes on without it where it does not", () => {
    vi.useFakeTimers();
    const { run, unmount } = listen("paste");
    const text = { clipboardData: { getData: () => "what was copied" } };
    fireEvent.paste(window, text); // that nobody has asked for
    expect(run).not.toHaveBeenCalled();
    fireEvent.keyDown(window, init("Mod+V"));
    fireEvent.paste(window, text);
    vi.advanceTimersByTime(1000);
    expect(run.mock.calls).toEqual([["what was copied"]]);
    fireEvent.keyDown(window, init("Mod+V"));
    vi.advanceTimersByTime(1000);
    expect(run.mock.calls.slice(1)).toEqual([[]]);
    unmount();
    vi.useRealTimers();
  });

  it("finds keys by their place where they carry no Latin letter or digit", () => {
    const cut = listen("cut");
    fireEvent.keyDown(window, { key: "\u0441", code: "KeyC" }); // Cyrillic
    expect(cut.run).toHaveBeenCalledTimes(1);
    const loop = listen("loop");
    fireEvent.keyDown(window, { key: "'", code: "Digit4" }); // French
    expect(loop.run).toHaveBeenCalledTimes(1);
    const row = listen("hear-row");
    fireEvent.keyDown(window, { key: "\u00e5", code: "KeyA", altKey: true }); // a Mac
    expect(row.run).toHaveBeenCalledTimes(1);
    const borrow = listen("borrow");
    fireEvent.keyDown(window, { key: "z", code: "KeyY" }); // German: what is written on the key counts
    expect(borrow.run).toHaveBeenCalledTimes(1);
    expect(pressed({ key: "\u0444", code: "KeyA", ctrlKey: false, metaKey: false, shiftKey: true, altKey: false })).toBe("Shift+A");
    for (const x of [cut, loop, row, borrow]) x.unmount();
  });

  it("leaves keys to what has the focus by the keyboard, and takes them back after the pointer was used", () => {
    document.body.innerHTML = `<select><option>a</option></select><input type="range"><input type="text"><button>b</button><div role="dialog"><i></i></div>`;
    const [select, range, text, button, inside] = [...document.querySelectorAll("select, input, button, i")];
    const { run, unmount } = listen("cut");
    const presses = (el: Element | undefined) => {
      run.mockClear();
      fireEvent.keyDown(el!, init("C"));
      return run.mock.calls.length;
    };
    fireEvent.keyDown(window, { key: "Tab" });
    expect([select, range, text, button, inside].map(presses)).toEqual([0, 0, 0, 1, 0]);
    fireEvent.pointerDown(document.body);
    expect([select, range, text, button, inside].map(presses)).toEqual([1, 1, 0, 1, 0]);
    unmount();
    const frame = listen("frame-on");
    fireEvent.keyDown(range!, init("ArrowRight"));
    expect(frame.run, "a slider that was dragged is moved on by its keys").not.toHaveBeenCalled();
    fireEvent.keyDown(select!, init("ArrowRight"));
    expect(frame.run).toHaveBeenCalledTimes(1);
    frame.unmount();
    // What is meant everywhere works in a field too, unless the field has a use for it; a dialog is a place of its own.
    const [commands, undo, find] = [listen("commands"), listen("undo"), listen("find")];
    for (const key of ["k", "z", "f"]) {
      fireEvent.keyDown(text!, { key, code: `Key${key.toUpperCase()}`, ctrlKey: true });
      fireEvent.keyDown(inside!, { key, code: `Key${key.toUpperCase()}`, ctrlKey: true });
    }
    expect([commands, undo, find].map((x) => x.run.mock.calls.length)).toEqual([1, 0, 0]);
    for (const x of [commands, undo, find]) x.unmount();
  });

  it("has its turn last where it is a fallback, though it was there first", () => {
    const [last, first] = [vi.fn(), vi.fn()];
    const foot = renderHook(() => useActions({ play: last }, true));
    fireEvent.keyDown(window, init("Space"));
    expect(last).toHaveBeenCalledTimes(1);
    const room = renderHook(() => useActions({ play: first }));
    fireEvent.keyDown(window, init("Space"));
    perform("play");
    expect([first.mock.calls.length, last.mock.calls.length]).toEqual([2, 1]);
    room.unmount();
    foot.unmount();
  });

  it("knows what can be done at present, and does it by name", () => {
    const { run, unmount } = listen("mark");
    expect(available().map((a) => a.id)).toEqual(["mark"]);
    perform("mark");
    expect(run).toHaveBeenCalledTimes(1);
    unmount();
    expect(available()).toEqual([]);
  });

  it("goes along to another browser as a file, and takes nothing else for one", () => {
    setKey("cut", "J");
    const file = savedKeys();
    resetKeys();
    expect(readKeys(file)).toBeNull();
    expect(keyOf("cut")).toBe("J");
    for (const text of ["", "{}", "[]", "null", '{"is":"zesty-loom keys"}', '{"is":"other","keys":{}}'])
      expect(readKeys(text)).toMatch(/no file with keys/);
    expect(keyOf("cut"), "what is no file changes nothing").toBe("J");
    expect(readKeys('{"is":"zesty-loom keys","keys":{"fade":"L","no-act":"K","cut":7}}')).toBeNull();
    expect([keyOf("fade"), keyOf("cut")]).toEqual(["L", "C"]);
    resetKeys();
  });
});
