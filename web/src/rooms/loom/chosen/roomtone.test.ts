import { describe, expect, it } from "vitest";

import type { ReelView } from "../../../api/client";
import type { Choice } from "../ground/choice";
import { beforeGap } from "./roomtone";

const clip = (id: string, start: number, length: number, channels = [0], track = "t") => ({ id, track, start, length, channels });
const view = {
  clips: [clip("a", 0, 100), clip("b", 50, 80), clip("c", 300, 50), clip("u", 0, 90, [0], "u"), clip("w", 0, 90, [0, 1], "w")],
} as unknown as ReelView;
const range = (from: number, to: number, tracks = ["t"]) => ({ range: { from, to, tracks } }) as unknown as Choice;

describe("a gap", () => {
  it("is what no clip lies in; the clip before it is made longer", () => {
    expect(beforeGap(view, range(150, 250))?.id).toBe("b");
    expect(beforeGap(view, range(130, 300))?.id).toBe("b");
    expect(beforeGap(view, range(400, 500))?.id).toBe("c");
    expect(beforeGap(view, range(100, 250)), "a clip reaches into it").toBeNull();
    expect(beforeGap(view, range(250, 310))).toBeNull();
    expect(beforeGap(view, range(150, 250, ["t", "u"])), "of several tracks").toBeNull();
    expect(beforeGap(view, range(150, 250, ["w"])), "of no track with one channel").toBeNull();
    expect(beforeGap(view, { range: null } as unknown as Choice)).toBeNull();
  });
});
