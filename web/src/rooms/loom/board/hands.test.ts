import { describe, expect, it } from "vitest";

import type { ReelView } from "../../../api/client";
import { layBand, layGroups } from "../ground/band";
import { watchedRows } from "./hands";

const view = (tracks: number) =>
  ({
    tracks: Array.from({ length: tracks }, (_, i) => ({ id: `t${i}`, stem: "DX", strand: i === 0 ? "Ines Calder" : "" })),
    stems: [{ id: "DX", name: "Dialogue" }],
    mixes: [{ id: "full", name: "Full mix" }],
    groups: [{ id: "mix", name: "Full mix" }],
  }) as unknown as ReelView;

describe("the rows that a board looks at", () => {
  it("are each there once, so that shares add up", () => {
    const v = view(3);
    const rows = watchedRows(v, [...layBand(v, new Set(["DX"])), ...layGroups(v.groups)]).map((r) => `${r.row} ${r.id}`);
    expect(new Set(rows).size).toBe(rows.length);
    expect(rows).toEqual(["track t0", "track t1", "track t2", "stem DX", "strand DX/Ines Calder", "mix full", "group mix"]);
  });

  it("are no more than the server looks at, or nothing would play", () => {
    expect(watchedRows(view(600), [])).toHaveLength(400);
  });
});
