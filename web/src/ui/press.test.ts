// @vitest-environment jsdom
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import { beyond, Held, restAfter, type Grip, type Modifiers } from "./press";

const keys: Modifiers = { altKey: false, ctrlKey: false, metaKey: false, shiftKey: false };
const at = (x: number, y = 0, more: Partial<Modifiers> = {}) => ({ clientX: x, clientY: y, ...keys, ...more });

function grip(more: Partial<Grip> = {}) {
  const told: string[] = [];
  const of = (what: string) => (to: { x: number; shiftKey: boolean }) => void told.push(`${what} ${to.x}${to.shiftKey ? " shift" : ""}`);
  const g: Grip = {
    drag: of("drag"),
    drop: of("drop"),
    tap: of("tap"),
    cancel: () => void told.push("cancel"),
    ...more,
  };
  return { g, told };
}

beforeEach(() => void vi.useFakeTimers());
afterEach(() => void vi.useRealTimers());

describe("a press", () => {
  const box = document.createElement("div");
  box.getBoundingClientRect = () => new DOMRect(10, 0, 100, 20);

  it("that is let go of where it was is a tap, and one that wandered no further than a hand does", () => {
    const { g, told } = grip();
    new Held(box, at(30), g).release(at(30));
    const wanders = new Held(box, at(30), g);
    wanders.move(at(33));
    wanders.release(at(32));
    expect(told).toEqual(["tap 20", "tap 22"]);
  });

  it("ends where it is let go of, though it was never told to have moved", () => {
    const { g, told } = grip();
    new Held(box, at(30), g).release(at(90)); // a flick
    const late = new Held(box, at(30), g);
    late.move(at(40));
    late.release(at(95));
    expect(told).toEqual(["drop 80", "drag 30", "drop 85"]);
  });

  it("that has moved is moved, though it comes back", () => {
    const { g, told } = grip();
    const h = new Held(box, at(30), g);
    h.move(at(60));
    h.release(at(30));
    expect(told).toEqual(["drag 50", "drop 20"]);
  });

  it("that rests holds, and is a drag once it moves", () => {
    const ends = vi.fn();
    const rest = vi.fn(() => ends);
    const { g, told } = grip({ rest });
    const quick = new Held(box, at(30), g);
    vi.advanceTimersByTime(restAfter - 1);
    quick.release(at(30));
    vi.advanceTimersByTime(restAfter);
    expect(rest).not.toHaveBeenCalled();
    const rests = new Held(box, at(30), g);
    vi.advanceTimersByTime(restAfter);
    expect(rest).toHaveBeenCalledTimes(1);
    rests.move(at(31));
    expect(ends).not.toHaveBeenCalled();
    rests.move(at(50));
    expect(ends).toHaveBeenCalledTimes(1);
    rests.release(at(60));
    const only = new Held(box, at(30), g);
    vi.advanceTimersByTime(restAfter);
    only.release(at(30));
    expect(ends).toHaveBeenCalledTimes(2);
    expect(told).toEqual(["tap 20", "drag 40", "drop 50"]); // what was held is no tap
  });

  it("follows the keys that are held with it", () => {
    const { g, told } = grip();
    const h = new Held(box, at(30), g);
    h.keys({ ...keys, shiftKey: true }); // before it has moved
    h.move(at(40));
    h.keys({ ...keys, shiftKey: true });
    h.release(at(40, 0, { shiftKey: true }));
    expect(told).toEqual(["drag 30", "drag 30 shift", "drop 30 shift"]);
  });

  it("is taken back", () => {
    const ends = vi.fn();
    const { g, told } = grip({ rest: () => ends });
    const h = new Held(box, at(30), g);
    vi.advanceTimersByTime(restAfter);
    h.cancel();
    expect(ends).toHaveBeenCalledTimes(1);
    expect(told).toEqual(["cancel"]);
  });

  it("of which nothing becomes when it is dragged stays a tap; one without slack is moved from the first", () => {
    const { g, told } = grip({ drag: undefined, drop: undefined });
    new Held(box, at(30), g).release(at(90));
    const put = grip({ slack: 0 });
    new Held(box, at(30), put.g).release(at(30));
    expect(told).toEqual(["tap 80"]);
    expect(put.told).toEqual(["drag 20", "drop 20"]);
  });

  it("scrolls near the edges of its room, and goes on with what is under the pointer then", () => {
    const frames: FrameRequestCallback[] = [];
    vi.spyOn(window, "requestAnimationFrame").mockImplementation((f) => frames.push(f));
    const scroll = vi.fn();
    const { g, told } = grip({ edges: { room: () => new DOMRect(0, 0, 400, 400), scroll } });
    const h = new Held(box, at(200, 200), g);
    h.move(at(300, 200));
    frames.pop()!(0);
    expect(scroll).not.toHaveBeenCalled();
    h.move(at(390, 200));
    frames.pop()!(0);
    frames.pop()!(0);
    expect(scroll.mock.calls).toEqual([
      [9, 0],
      [9, 0],
    ]);
    expect(told).toEqual(["drag 290", "drag 380", "drag 380", "drag 380"]);
    h.cancel();
    vi.restoreAllMocks();
  });
});

it("an edge pulls the more the further one is beyond it", () => {
  expect([200, 28, 27, 0, -500, 372, 373, 500].map((x) => beyond(x, 0, 400))).toEqual([0, 0, -0.5, -14, -24, 0, 0.5, 24]);
});

it("is the only place that takes hold of a pointer", () => {
  const files = import.meta.glob("../**/*.{ts,tsx}", { query: "?raw", import: "default", eager: true }) as Record<string, string>;
  const others = Object.entries(files)
    .filter(([name]) => !/(press|\.test)\.tsx?$/.test(name))
    .filter(([, text]) => /setPointerCapture|onPointerMove=\{(?!\(e\) => e\.stopPropagation)/.test(text)); // sliders of the browser's own are let be
  expect(others.map(([name]) => name)).toEqual([]);
  expect(Object.keys(files).length).toBeGreaterThan(200);
});
