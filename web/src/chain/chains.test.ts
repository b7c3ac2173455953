import { describe, expect, it } from "vitest";

import type { ChainStep, ProcessorKind, ProcessorParameter } from "../api/client";
import {
  alongOf,
  didWords,
  downOf,
  freshStep,
  frequencyAt,
  gainAt,
  held,
  kindsFor,
  movedStep,
  shown,
  slideOf,
  slidTo,
  stepWords,
  withValues,
} from "./chains";

const frequency: ProcessorParameter = { name: "frequency", unit: "Hz", low: 20, high: 20_000, default: 1000, log: true, about: "" };
const gain: ProcessorParameter = { name: "gain", unit: "dB", low: -24, high: 24, default: 0, about: "" };
const slope: ProcessorParameter = { name: "slope", unit: "dB an octave", low: 6, high: 48, default: 24, whole: 6, about: "" };
const bell: ProcessorKind = { kind: "bell", title: "Bell", about: "", source: "", parameters: [frequency, gain] };
const steps: ChainStep[] = [
  { id: "1", kind: "bell", values: { frequency: 320, gain: -4 } },
  { id: "2", kind: "gain" },
  { id: "7", kind: "limiter" },
];

describe("chains", () => {
  it("moves steps, and stays within the chain", () => {
    const order = (s: ChainStep[]) => s.map((x) => x.id).join();
    expect(order(movedStep(steps, 0, 2))).toBe("2,7,1");
    expect(order(movedStep(steps, 2, 0))).toBe("7,1,2");
    expect(order(movedStep(steps, 1, 9))).toBe("1,7,2");
    expect(order(steps)).toBe("1,2,7");
  });

  it("gives new steps names that no other has had, with what is usual", () => {
    expect(freshStep(steps, bell)).toEqual({ id: "8", kind: "bell", values: { frequency: 1000, gain: 0 } });
    expect(freshStep([], bell).id).toBe("1");
    expect(withValues(steps, "1", { gain: 2 })[0]!.values).toEqual({ frequency: 320, gain: 2 });
  });

  it("says what a step is set to", () => {
    expect(shown(80, "Hz")).toBe("80 Hz");
    expect(shown(6500, "Hz")).toBe("6.5 kHz");
    expect(shown(-4, "dB")).toBe("−4 dB");
    expect(stepWords(steps[0]!, bell)).toBe("320 Hz, −4 dB");
    expect(stepWords({ id: "1", kind: "bell" }, bell)).toBe("1 kHz");
  });

  it("offers no kind that could do nothing", () => {
    const width = { ...bell, kind: "width" as const, sets: true };
    expect(kindsFor([bell, width], 1).map((k) => k.kind)).toEqual(["bell"]);
    expect(kindsFor([bell, width], 2).map((k) => k.kind)).toEqual(["bell", "width"]);
  });

  it("says what a step does", () => {
    expect(didWords(undefined)).toBe("");
    expect(didWords({ dB: -2.64 })).toBe("−2.6 dB");
    expect(didWords({ dB: 0 })).toBe("0.0 dB");
    expect(didWords({ dB: 1.25 })).toBe("+1.3 dB");
    expect(didWords({ hz: 50.12 })).toBe("50.1 Hz");
    expect(didWords({ repaired: 12 })).toBe("12 mended");
  });

  it("goes from frequencies and gains to places and back", () => {
    for (const f of [20, 80, 1000, 20_000]) expect(frequencyAt(alongOf(f))).toBeCloseTo(f, 6);
    expect(alongOf(632.455532)).toBeCloseTo(0.5, 6);
    for (const dB of [-30, -4, 0, 18]) expect(gainAt(downOf(dB))).toBeCloseTo(dB, 9);
    expect(downOf(-99)).toBe(1);
  });

  it("holds values to their ranges and multiples, and slides by ratio where that is felt", () => {
    expect(held(frequency, 5)).toBe(20);
    expect(held(frequency, 317.9)).toBe(318);
    expect(held(slope, 20)).toBe(18);
    expect(held(slope, 99)).toBe(48);
    expect(slideOf(frequency, 632.455532)).toBe(500);
    expect(slidTo(frequency, 500)).toBe(632);
    expect(slidTo(gain, 500)).toBe(0);
    expect(slidTo(gain, slideOf(gain, -4))).toBeCloseTo(-4, 1);
  });
});
