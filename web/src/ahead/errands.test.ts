import { expect, it } from "vitest";

import type { Answered, Errand, WaitingErrand } from "./edits";
import { aboutOf, Errands, type Run } from "./errands";

const errand = (key: string, path = "/takes/a", method = "PATCH"): Errand => ({
  method,
  path,
  body: "{}",
  type: "application/json",
  author: "Ada",
  key,
});
const answer = (status: number, body = ""): Answered => ({ status, body, type: "application/json", location: "" });

/** Errands with everything around them: what is sent, in order, and what is kept. */
function around(kept: WaitingErrand[] = []) {
  const sent: string[] = [];
  const disk = new Map(kept.map((e) => [e.key, e]));
  const answers = new Map<string, Run[]>();
  const settled: string[] = [];
  let hold: Promise<void> = Promise.resolve();
  let rest: Promise<void> = Promise.resolve();
  const errands = new Errands({
    keep: {
      all: () => Promise.resolve([...disk.values()]),
      put: async (e) => void disk.set(e.key, structuredClone(e)),
      remove: async (key) => void disk.delete(key),
    },
    run: async (e) => {
      expect(disk.has(e.key), "it is kept before it is sent").toBe(true);
      sent.push(e.key);
      await hold;
      return answers.get(e.key)?.shift() ?? answer(200, `{"of":"${e.key}"}`);
    },
    settled: async (reel) => void settled.push(reel),
    changed: () => undefined,
    pause: () => rest,
  });
  return {
    errands,
    sent,
    disk,
    answers,
    settled,
    holds: (until: Promise<void>) => (hold = until),
    rests: (until: Promise<void>) => (rest = until),
  };
}

it("is kept until it is answered, and asked again under its key while nobody knows", async () => {
  const a = around();
  a.answers.set("k", ["unsure", "unsure"]);
  expect(await a.errands.run(errand("k"))).toEqual(answer(200, '{"of":"k"}'));
  expect(a.sent).toEqual(["k", "k", "k"]);
  expect(a.disk.size).toBe(0);
  expect(a.errands.all()).toEqual([]);
});

it("waits for those before it about the same thing, and for no other", async () => {
  const a = around();
  let go = () => {};
  a.holds(new Promise((done) => (go = done)));
  const all = [a.errands.run(errand("1")), a.errands.run(errand("2", "/takes/a/tie?x=1", "PUT")), a.errands.run(errand("3", "/takes/b"))];
  await new Promise((done) => setTimeout(done, 5));
  expect(a.sent).toEqual(["1", "3"]);
  go();
  await Promise.all(all);
  expect(a.sent).toEqual(["1", "3", "2"]);
  expect(aboutOf("/productions?all=1")).toBe("productions");
});

it("is told its refusal, which is listed where nobody waits for it, or nobody says that they heard it", async () => {
  const a = around();
  const no = answer(422, '{"title":"It has no tie","kind":"bad input"}');
  a.answers.set("asked", [no]);
  let late = () => {};
  a.rests(new Promise((done) => (late = done)));
  expect(await a.errands.run(errand("asked"))).toEqual(no);
  expect(a.errands.all()).toMatchObject([{ key: "asked", told: expect.any(Number) }]);
  expect(a.disk.has("asked"), "over a crash, too").toBe(true);
  a.answers.set("heard", [no]);
  await a.errands.run(errand("heard"));
  await a.errands.letGo("heard");
  late();
  await new Promise((done) => setTimeout(done, 5));
  expect(a.errands.all().map((e) => [e.key, e.told])).toEqual([["asked", undefined]]);

  const kept = { ...errand("old"), n: 1, made: 1, tried: false };
  const b = around([kept, { ...errand("older"), n: 0, made: 0, tried: false }]);
  b.answers.set("old", [no]);
  await b.errands.begin();
  await new Promise((done) => setTimeout(done, 5));
  expect(b.sent).toEqual(["older", "old"]);
  expect(b.errands.all().map((e) => [e.key, e.refused])).toEqual([["old", { sentence: "It has no tie", kind: "bad input" }]]);
  expect([...b.disk.keys()]).toEqual(["old"]);
  await b.errands.letGo("old");
  expect([b.errands.all(), b.disk.size]).toEqual([[], 0]);
});

it("that removes what is gone has done so, where a try before may have", async () => {
  const a = around();
  a.answers.set("k", ["unsure", answer(404, "{}")]);
  expect((await a.errands.run(errand("k", "/reels/r", "DELETE"))).status).toBe(204);
  a.answers.set("l", [answer(404, "{}")]);
  expect((await a.errands.run(errand("l", "/reels/r", "DELETE"))).status).toBe(404);
});

it("about a reel comes after all that was edited of it", async () => {
  const a = around();
  await a.errands.run(errand("k", "/reels/r/prints", "POST"));
  expect(a.settled).toEqual(["r"]);
  await a.errands.run(errand("l", "/takes/r"));
  expect(a.settled).toEqual(["r"]);
});

it("are waited for by who asks what follows from them, but not by who can't be answered", async () => {
  const a = around();
  let go = () => {};
  a.holds(new Promise((done) => (go = done)));
  const ran = a.errands.run(errand("k"));
  let waited = 0;
  const settled = a.errands.settled(() => {
    if (++waited === 3) go();
    return new Promise((done) => setTimeout(done, 1));
  });
  await Promise.all([ran, settled]);
  expect(waited).toBeGreaterThanOrEqual(3);
  a.answers.set("never", Array(10_000).fill("unsure"));
  void a.errands.run(errand("never"));
  waited = 0;
  await a.errands.settled(() => (waited++, Promise.resolve()));
  expect(waited).toBe(400);
});
