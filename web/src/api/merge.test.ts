import { describe, expect, it } from "vitest";

import type { ReelView } from "./client";
import { merged } from "./merge";

const none = { stems: [], tracks: [], clips: [], groups: [], knots: [], marks: [], mixes: [], buses: [] };
const clip = (id: string, start: number) => ({ id, start, length: 10 });
const view = (revision: number, rest: object = {}) =>
  ({ ...none, revision, outputs: [], routes: [], findings: [], undo: "", ...rest }) as unknown as ReelView;

describe("merging what has changed into a reel", () => {
  const old = view(3, { clips: [clip("a", 0), clip("b", 5)], routes: [{ track: "t" }] });

  it("puts, takes away and keeps the order", () => {
    const now = merged(
      old,
      view(4, {
        clips: [clip("c", 2), clip("b", 1)],
        undo: "move",
        since: { revision: 3, routed: false, gone: { ...none, clips: ["a"] } },
      }),
    )!;
    expect(now.clips.map((c) => c.id)).toEqual(["b", "c"]);
    expect(now.routes).toBe(old.routes);
    expect(now).toMatchObject({ revision: 4, undo: "move", since: undefined });
  });

  it("keeps lists that have not changed as they are, so that nothing is drawn anew", () => {
    const now = merged(old, view(4, { since: { revision: 3, routed: true, gone: none } }))!;
    expect(now.clips).toBe(old.clips);
    expect(now.routes).toEqual([]);
  });

  it("takes a part that begins earlier, and leaves one that was overtaken", () => {
    expect(merged(old, view(5, { since: { revision: 1, routed: false, gone: none } }))!.revision).toBe(5);
    expect(merged(old, view(2, { since: { revision: 1, routed: false, gone: none } }))).toBe(old);
    expect(merged(old, view(2))).toBe(old);
  });

  it("says so where it can't tell", () => {
    expect(merged(old, view(6, { since: { revision: 5, routed: false, gone: none } }))).toBeNull();
    expect(merged(undefined, view(6, { since: { revision: 5, routed: false, gone: none } }))).toBeNull();
    expect(merged(undefined, view(6))!.revision).toBe(6);
  });
});
