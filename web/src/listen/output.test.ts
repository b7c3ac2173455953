// @vitest-environment jsdom
import { beforeEach, describe, expect, it, vi } from "vitest";

import { gainOf } from "./output";

describe("the level of all that sounds", () => {
  beforeEach(() => {
    localStorage.clear();
    vi.resetModules();
  });

  it("is a gain in dB, softer while it is dimmed, and nothing at its lowest", () => {
    expect(gainOf({ dB: 0, dim: false })).toBe(1);
    expect(gainOf({ dB: -6, dim: true })).toBeCloseTo(10 ** (-26 / 20), 12);
    expect(gainOf({ dB: -60, dim: false })).toBe(0);
  });

  it("is remembered, but for dim and mono, and acts on what plays", async () => {
    const { output } = await import("./output");
    const node = {
      gain: { value: 0, setTargetAtTime: vi.fn() },
      context: { currentTime: 3 },
      connect: vi.fn(),
      channelCount: 0,
      channelCountMode: "",
    };
    const from = { connect: vi.fn() };
    output.join({ createGain: () => node, destination: "loudspeakers" } as never, from as never);
    expect(from.connect).toHaveBeenCalledWith(node);
    expect(node.connect).toHaveBeenCalledWith("loudspeakers");
    expect(node).toMatchObject({ channelCount: 2, channelCountMode: "explicit" });
    output.set({ dB: -10, dim: true, mono: true });
    expect(node.channelCount).toBe(1);
    expect(node.gain.setTargetAtTime).toHaveBeenCalledWith(10 ** (-30 / 20), 3, expect.any(Number));
    vi.resetModules();
    const again = await import("./output");
    expect(again.output.snapshot()).toEqual({ dB: -10, dim: false, mono: false, speakers: null });
  });

  it("is as it is where the browser remembers nonsense", async () => {
    localStorage.setItem("loom.sound", '{"dB":"loud"}');
    const { output } = await import("./output");
    expect(output.snapshot().dB).toBe(0);
  });

  it("goes to loudspeakers that are each for something else, as they were kept", async () => {
    localStorage.setItem("loom.sound", '{"speakers":["L","R","L","Kitchen",3,"Ls"]}');
    const { output, usualSpeakers, withSpeaker } = await import("./output");
    expect(output.snapshot().speakers).toEqual(["L", "R", "", "", "", "Ls"]);
    expect(usualSpeakers(6)).toEqual(["L", "R", "C", "LFE", "Ls", "Rs"]);
    expect(usualSpeakers(10).slice(6)).toEqual(["Lrs", "Rrs", "", ""]);
    expect(withSpeaker(["L", "R", "C"], 2, "L")).toEqual(["", "R", "L"]);
    expect(withSpeaker(["L", "", ""], 0, "")).toEqual(["", "", ""]);
    const node = { gain: { value: 0, setTargetAtTime: vi.fn() }, context: { currentTime: 3 }, connect: vi.fn(), channelCount: 0 };
    output.join({ createGain: () => node, destination: "them" } as never, { connect: vi.fn() } as never);
    expect(node).toMatchObject({ channelCount: 6, channelInterpretation: "discrete" });
  });
});
