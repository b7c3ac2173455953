import { expect, it } from "vitest";

import type { Clip, ReelView, Take } from "../../../api/client";
import { clipboard, copy, here, readText, take, textOf } from "./clipboard";

const takeOf = (id: string, sha256: string) => ({ id, sha256, stream: 0, title: `title of ${sha256}` }) as Take;
const clip = (id: string, of: string, lanes?: unknown) => ({ id, track: "a", take: of, start: 0, length: 9, lanes }) as unknown as Clip;
const view = {
  head: { sampleRate: 48000 },
  tracks: [{ id: "b" }, { id: "a", name: "Boom" }],
  clips: [clip("1", "t1", [{ borrowed: [{ take: "t2", from: 1 }] }]), clip("2", "t1")],
} as unknown as ReelView;
const takes = new Map(["t1", "t2"].map((id) => [id, takeOf(id, `sum ${id}`)]));

it("is the same after it has been text, with all takes that it uses", () => {
  expect(copy(view, takes, ["1"], { from: 2, to: 5 })).toBe(1);
  const c = clipboard()!;
  expect(c.tracks.map((t) => t.id)).toEqual(["a"]);
  expect(c.takes.map((t) => t.id)).toEqual(["t1", "t2"]);
  expect(readText(textOf(c))).toEqual(JSON.parse(JSON.stringify(c)));
  expect(copy(view, takes, [], null)).toBe(0);
  expect(clipboard()).toBe(c);
});

it("that is other text is let be", () => {
  const was = clipboard();
  for (const text of [
    "",
    "boat horn",
    "zesty-loom clips",
    '{"is":"zesty-loom clips","version":2}',
    '{"is":"zesty-loom clips","version":1,"clips":[1]}',
  ])
    expect(readText(text)).toBeNull();
  take("boat horn");
  expect(clipboard()).toBe(was);
  take(textOf({ ...was!, sampleRate: 96000 }));
  expect(clipboard()?.sampleRate).toBe(96000);
});

it("uses the takes of this production, known by their bytes, and names those that are missing", () => {
  copy(view, takes, ["1"], null);
  const c = readText(textOf(clipboard()!))!;
  expect(here(c, takes)).toEqual({ copied: c });
  const others = new Map([
    ["n1", takeOf("n1", "sum t1")],
    ["n2", takeOf("n2", "sum t2")],
  ]);
  const there = here(c, others);
  expect("copied" in there && there.copied.clips).toMatchObject([{ take: "n1", lanes: [{ borrowed: [{ take: "n2", from: 1 }] }] }]);
  others.delete("n2");
  expect(here(c, others)).toEqual({ missing: ["title of sum t2"] });
});
