import { expect, test } from "vitest";

import type { Take, TakeList } from "./client";
import { caughtUp, takesNow, withEdit, withWaiting } from "./takes";

const take = (id: string, order: string) => ({ id, order }) as Take;
const list = (of: Partial<TakeList>): TakeList => ({
  takes: [],
  next: "",
  gone: [],
  count: of.takes?.length ?? 0,
  stamp: "7",
  whole: false,
  undo: "",
  redo: "",
  revision: 0,
  ...of,
});

test("what has changed takes its place in the order, and what is gone goes", () => {
  const had = list({ takes: [take("a", "1"), take("b", "2"), take("c", "3")] });
  const now = list({ takes: [take("a", "9"), take("d", "2x")], gone: ["c"], count: 3, stamp: "8", undo: "roll" });
  expect(caughtUp(had, now)).toEqual(list({ ...now, gone: ["c"], takes: [take("b", "2"), take("d", "2x"), take("a", "9")] }));
});

test("where nothing has changed the takes stay the same objects", () => {
  const had = list({ takes: [take("a", "1")] });
  expect(caughtUp(had, list({ count: 1 }))?.takes).toBe(had.takes);
});

test("a take that was removed is not told of, but counted: then all is asked for", async () => {
  const had = list({ takes: [take("a", "1"), take("b", "2")] });
  expect(caughtUp(had, list({ count: 1 }))).toBeUndefined();
  const asked: object[] = [];
  const now = await takesNow(had, (a) => {
    asked.push(a);
    return Promise.resolve(a.since ? list({ count: 1 }) : list({ takes: [take("b", "2")] }));
  });
  expect(asked).toEqual([{ since: "7" }, {}]);
  expect(now.takes).toEqual([take("b", "2")]);
});

test("all pages are asked for, and the first page's stamp holds for them", async () => {
  const pages: Record<string, TakeList> = {
    "": list({ takes: [take("a", "1"), take("b", "2")], next: "2", count: 3, stamp: "10" }),
    "2": list({ takes: [take("b", "2y"), take("c", "3")], count: 3, stamp: "12", revision: 4 }), // b was renamed in between
  };
  const now = await takesNow(undefined, (a) => Promise.resolve(pages[a.after ?? ""]!));
  expect(now.takes).toEqual([take("a", "1"), take("b", "2y"), take("c", "3")]);
  expect([now.stamp, now.revision]).toEqual(["10", 4]);
});

test("more than is told has changed: all is asked for", async () => {
  const asked: object[] = [];
  await takesNow(list({}), (a) => {
    asked.push(a);
    return Promise.resolve(list({ whole: !!a.since }));
  });
  expect(asked).toEqual([{ since: "7" }, {}]);
});

test("an edit shows what it says, and leaves the rest", () => {
  const channels = [1, 2].map((index) => ({ index, name: `n${index}`, unravelled: true, stem: "DX", suggested: "FX" }));
  const t = { ...take("a", "1"), kind: "recording", sets: [], description: { note: "old", scene: "12A" }, channels } as unknown as Take;
  const edited = withEdit(t, { slate: { note: "new" }, channels: [{ index: 2, on: false, stem: "" }] });
  expect(edited.description).toEqual({ note: "new", scene: "12A" });
  expect(edited.channels).toEqual([channels[0], { ...channels[1], unravelled: false, on: false, stem: undefined }]);
  expect([edited.kind, edited.sets]).toEqual(["recording", []]);
  expect(withEdit(t, { kind: "music", sets: [{ channels: [1, 2] }] as never }), "which others measure by").toMatchObject({
    kind: "recording",
    sets: [],
  });
  const notes = ["one", "two"].map((note) => ({ take: "a", edit: { slate: { note } } }));
  const other = { ...t, id: "b" } as Take;
  const all = withWaiting({ takes: [t, other] }, notes).takes;
  expect(all[0]!.description.note).toBe("two");
  expect(all[1]).toBe(other);
});
