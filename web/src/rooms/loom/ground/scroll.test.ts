// @vitest-environment jsdom
import { describe, expect, it, vi } from "vitest";

import { Scroll } from "./scroll";

const whole = { left: 0, perPixel: 100 };

describe("what is in view", () => {
  it("is told once a frame, however often it changes, and is right at once for who asks", () => {
    const due: FrameRequestCallback[] = [];
    vi.stubGlobal("requestAnimationFrame", (f: FrameRequestCallback) => due.push(f));
    vi.stubGlobal("cancelAnimationFrame", () => undefined);
    const s = new Scroll(whole);
    const listener = vi.fn();
    const stop = s.subscribe(listener);
    s.change((v) => ({ ...v, left: v.left + 10 }));
    s.change((v) => ({ ...v, left: v.left + 10 }));
    expect(s.now().left).toBe(20);
    expect(s.told().left).toBe(0);
    expect(due).toHaveLength(1);
    due[0]!(0);
    expect(s.told().left).toBe(20);
    expect(listener).toHaveBeenCalledOnce();
    stop();
    s.showAll();
    expect(listener).toHaveBeenCalledOnce();
    vi.unstubAllGlobals();
  });

  it("follows the reel while all of it is in view, and stays where somebody put it", () => {
    const s = new Scroll(whole);
    s.fit({ left: 5, perPixel: 200 }, 1000);
    expect(s.now()).toEqual({ left: 5, perPixel: 200 });
    s.change(() => ({ left: 1, perPixel: 8 }));
    s.fit({ left: 6, perPixel: 300 }, 1000);
    expect(s.now()).toEqual({ left: 1, perPixel: 8 });
    s.showAll();
    expect(s.now()).toEqual({ left: 6, perPixel: 300 });
  });

  it("does not shift under the hand for a small edit, but shows all of a reel that grew", () => {
    const s = new Scroll(whole);
    s.fit({ left: 0, perPixel: 100 }, 1000);
    s.fit({ left: 0, perPixel: 90 }, 1000);
    expect(s.now().perPixel).toBe(100);
    s.showAll();
    expect(s.now().perPixel).toBe(90);
    s.fit({ left: 0, perPixel: 95 }, 1000);
    expect(s.now().perPixel).toBe(95);
    s.fit({ left: 0, perPixel: 40 }, 1000);
    expect(s.now().perPixel).toBe(40);
    s.fit({ left: 0, perPixel: 39 }, 900);
    expect(s.now().perPixel).toBe(39);
  });
});
