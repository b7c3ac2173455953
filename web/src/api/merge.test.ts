import { describe, expect, it } from "vitest";

import type { ReelView } from "./client";
import { merged } from "./merge";

const none = { stems: [], tracks: [], clips: [], groups: [], knots: [], marks: [], mixes: [], buses: [], chains: [], corrections: [] };
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

  it("takes a part that was planned, whatever the page has heard of the server by itself", () => {
    const part = view(3, { clips: [clip("b", 7)], since: { revision: 3, routed: false, gone: none } });
    const newer = view(4, { clips: [clip("b", 5)] });
    expect(merged(newer, part)!.clips).toEqual(newer.clips);
    expect(merged(newer, part, true)!.clips).toEqual([clip("b", 7)]);
  });

  it.each([
    ["stems", "order"],
    ["tracks", "order"],
    ["groups", "order"],
    ["mixes", "order"],
    ["clips", "start"],
    ["marks", "at"],
    ["knots", "none"],
    ["buses", "none"],
    ["chains", "none"],
    ["corrections", "none"],
  ])("has %s by their %s, and where that is the same by their ID", (list, by) => {
    const item = (id: string, n: number) => ({ id, [by]: n });
    const before = view(3, { [list]: [item("c", 1), item("d", 3), item("gone", 2)] });
    const since = { revision: 3, routed: false, gone: { ...none, [list]: ["gone"] } };
    const now = merged(before, view(4, { [list]: [item("b", 1), item("e", 0)], since }))!;
    const ids = (now as unknown as Record<string, { id: string }[]>)[list]!.map((x) => x.id);
    expect(ids).toEqual(by === "none" ? ["b", "c", "d", "e"] : ["e", "b", "c", "d"]);
    const turned = merged(view(3, { [list]: [item("b", 1)] }), view(4, { [list]: [item("c", 1)], since }))!;
    expect((turned as unknown as Record<string, { id: string }[]>)[list]!.map((x) => x.id)).toEqual(["b", "c"]);
  });

  it("takes away as many as it puts, and takes a whole reel of the same revision", () => {
    const since = { revision: 3, routed: false, gone: { ...none, clips: ["a"] } };
    expect(merged(old, view(4, { clips: [clip("c", 9)], since }))!.clips.map((c) => c.id)).toEqual(["b", "c"]);
    const same = view(3, { undo: "read anew" });
    expect(merged(old, same)).toBe(same);
    expect(merged(old, view(3, { since: { revision: 3, routed: true, gone: none } }))).not.toBe(old);
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
