import { describe, expect, it } from "vitest";

import type { Arrival } from "../../../listen/player";
import { holds, noWires, stays, taken, wireWords, type Wire } from "./wires";

const view = {
  groups: [
    { id: "d", tag: "DX", name: "Dialogue" },
    { id: "m", tag: "", name: "Music" },
  ],
  outputs: [
    { id: "d/L", group: "d", label: "L", number: 1 },
    { id: "m/L", group: "m", label: "L", number: 2 },
  ],
} as never;
const right: Arrival = { says: "right", on: -1, alike: 1 };
const wrong: Arrival = { says: "wrong", on: 0, alike: 1 };
const told = (wires: Wire[], list: Arrival[], times: number, at = 0) => {
  let w = wires;
  for (let i = 0; i < times; i++) w = taken(w, list, at + i);
  return w;
};

describe("the receiving deck", () => {
  it("says what holds, and not what flickers", () => {
    let w = told(noWires(2), [right, right], holds);
    expect(w.map((x) => x.says.says)).toEqual(["right", "right"]);
    w = told(w, [right, wrong], holds - 1);
    expect(w[1]!.says.says).toBe("right");
    w = told(w, [right, wrong], 1);
    expect(w[1]!.says.says).toBe("wrong");
    expect(w[1]!.noted).toBeNull();
  });

  it("notes what was wrong first and where, and keeps that when it is right again", () => {
    let w = told(noWires(2), [right, wrong], stays + 2, 1000);
    expect(w[1]!.noted).toEqual({ what: wrong, at: 1000 + stays - 1 });
    w = told(w, [right, right], 50, 5000);
    expect(w[1]!.says.says).toBe("right");
    expect(w[1]!.noted?.at).toBe(1000 + stays - 1);
    expect(w[0]!.noted).toBeNull();
  });

  it("begins anew where there are more outputs or fewer", () => {
    expect(taken(told(noWires(2), [right, wrong], 20), [right], 0)).toMatchObject([{ times: 1, noted: null }]);
  });

  it("names outputs by group and label", () => {
    expect(wireWords(view, 1, wrong)).toBe("carries what belongs on DX L");
    expect(wireWords(view, 1, { ...right, says: "silent" })).toBe("silent, though Music L sounds");
    for (const says of ["quiet", "right", "turned", "other"] as const) expect(wireWords(view, 0, { ...right, says })).not.toBe("");
  });
});
