import { beforeEach, describe, expect, it } from "vitest";

import type { ReelView } from "../api/client";
import { merged } from "../api/merge";
import type { Edit, Told, Waiting } from "./edits";
import { noKeep } from "./keep";
import { type Answer, Outbox, type Sent } from "./outbox";

/** Everything that an outbox has around it, and what it has done with it, in order. */
class Around {
  log: string[] = [];
  kept = new Map<string, Waiting>();
  told: Told[] = [];
  /** What the server answers next; without one it makes the edit. */
  answers: (Sent | "hangs")[] = [];
  revision = 5;
  go: (() => void)[] = [];
  canKeep = true;
  /** What the core can't plan, and what it refuses. */
  unplanned = new Set<string>();
  rules = new Map<string, string>();
  gap = false;

  view = (since?: number) =>
    ({ id: "r", revision: this.revision, ...(since !== undefined && { since: { revision: since } }) }) as unknown as ReelView;

  core = (q: object): Answer => {
    const {
      open,
      know,
      do: edit,
      follow,
      refuse,
      whole,
    } = q as Record<string, never> & { do?: { key: string; body: { name: string }; unsure?: true } };
    if (know) return {};
    if (open) this.log.push("core opens");
    else if (edit?.unsure) this.log.push("core waits");
    else if (edit) {
      const why = this.rules.get(edit.body.name);
      if (why) return { sentence: why, kind: "bad input" };
      const shown = !this.unplanned.has(edit.body.name);
      return { shown, name: edit.body.name, view: shown ? this.view(this.revision) : undefined };
    } else if (follow) {
      if (this.gap && (follow as ReelView).since) return { gap: true, sentence: "gap" };
      return { view: follow };
    } else if (refuse) this.log.push("core refuses");
    else if (whole) return { view: this.view() };
    return { view: this.view(this.revision) };
  };

  keep = {
    all: () => Promise.resolve([...this.kept.values()]),
    put: (w: Waiting) => {
      this.log.push(`keep ${this.name(w)}`);
      if (!this.canKeep) return Promise.reject(new Error("full"));
      this.kept.set(w.key, structuredClone(w));
      return Promise.resolve();
    },
    remove: (key: string) => {
      this.kept.delete(key);
      return Promise.resolve();
    },
    errands: noKeep.errands,
  };

  name = (w: Waiting) => (w.body as unknown as { name: string }).name;

  server = {
    send: async (w: Waiting, since: number): Promise<Sent> => {
      this.log.push(`send ${this.name(w)} ${w.key.split(".")[0]}`);
      const answer = this.answers.shift();
      if (answer === "hangs") await new Promise<void>((done) => this.go.push(done));
      else if (answer) return answer;
      this.revision++;
      return { view: this.view(since) };
    },
    run: () => Promise.resolve("unsure" as const),
    look: (_: string, __: string, since?: number) => {
      this.log.push(since === undefined ? "look" : `look since ${since}`);
      return Promise.resolve(this.view(since));
    },
  };

  outbox = (client = "me") =>
    new Outbox(
      client,
      this.keep,
      this.server,
      (t) => {
        if ("tell" in t && t.tell === "reel") this.log.push(`tell ${t.view.revision}`);
        this.told.push(t);
      },
      () => new Promise((done) => setTimeout(done)),
    );

  waits = () => this.told.findLast((t) => "tell" in t && t.tell === "waits") as Extract<Told, { tell: "waits" }>;
}

const edit = (name: string) =>
  ({ kind: "command", body: { name }, reel: "r", path: "commands", seen: 5, author: "ines", page: "p" }) as unknown as Edit;
const kinds = ["stems", "tracks", "clips", "groups", "knots", "mixes", "buses", "chains", "marks", "corrections"];
const soon = () => new Promise((done) => setTimeout(done, 40));

let a: Around;
let box: Outbox;
beforeEach(async () => {
  a = new Around();
  box = a.outbox();
  box.plan(a.core);
  await box.open("r", 5, "ines");
  a.log = [];
});

describe("what is edited", () => {
  it("is kept before it is shown, and shown before it is sent", async () => {
    expect(await box.do(edit("mute"), {})).toEqual({});
    await soon();
    expect(a.log).toEqual(["keep mute", "tell 5", "send mute me", "tell 6"]);
    expect(a.kept.size).toBe(0);
    expect(a.waits()).toMatchObject({ count: 0, refused: [] });
  });

  it("is sent in order, one after another, while the hand goes on", async () => {
    a.answers = ["hangs"];
    await box.do(edit("one"), {});
    await box.do(edit("two"), {});
    await box.do(edit("three"), {});
    await soon();
    expect(a.log.filter((l) => l.startsWith("send"))).toEqual(["send one me"]);
    expect(a.waits().count).toBe(3);
    a.go.forEach((f) => f());
    await soon();
    expect(a.log.filter((l) => l.startsWith("send"))).toEqual(["send one me", "send two me", "send three me"]);
  });

  it("is kept before it is sent, also behind another", async () => {
    a.answers = ["hangs"];
    await box.do(edit("one"), {});
    await soon();
    const { put, remove } = a.keep;
    let kept = () => undefined as void;
    let removed = () => undefined as void;
    a.keep.put = async (w) => {
      await new Promise<void>((done) => (kept = done));
      return put(w);
    };
    a.keep.remove = async (key) => {
      await new Promise<void>((done) => (removed = done));
      return remove(key);
    };
    a.go.forEach((f) => f());
    await soon(); // the first is answered, and is about to go
    const second = box.do(edit("two"), {});
    await soon();
    removed();
    await soon();
    expect(a.log).not.toContain("send two me");
    kept();
    await second;
    await soon();
    expect(a.log.indexOf("keep two")).toBeLessThan(a.log.indexOf("send two me"));
  });

  it("is sent until the server answers, under the same key", async () => {
    const keys: string[] = [];
    const { send } = a.server;
    a.server.send = (w, since) => {
      keys.push(w.key);
      return send(w, since);
    };
    a.answers = ["unsure", "unsure", "unsure"];
    await box.do(edit("mute"), {});
    await soon();
    expect(keys).toHaveLength(4);
    expect(new Set(keys).size).toBe(1);
    expect(a.kept.size).toBe(0);
  });

  it("is listed where it was on the screen and the server does not make it, until it is let go", async () => {
    a.answers = [{ refused: { sentence: "Jonas has changed the same", kind: "stale" } }];
    expect(await box.do(edit("mute"), {})).toEqual({});
    await soon();
    expect(a.log).toContain("core refuses");
    expect(a.waits()).toMatchObject({ count: 0, refused: [{ name: "mute", refused: { kind: "stale" } }] });
    expect(a.kept.size).toBe(1); // over a reload
    await box.do(a.waits().refused[0]!, {}); // again
    await soon();
    expect(a.log.filter((l) => l.startsWith("send"))).toHaveLength(2);
    box.letGo(a.waits().refused[0]!.key);
    await soon();
    expect(a.waits().refused).toEqual([]);
    expect(a.kept.size).toBe(0);
  });

  it("is refused at once by the core, and goes nowhere", async () => {
    a.rules.set("move", "It has no room");
    expect(await box.do(edit("move"), {})).toEqual({ refused: { sentence: "It has no room", kind: "bad input" } });
    await soon();
    expect(a.log).toEqual([]);
  });

  it("waits for the server's word where the core can't plan it", async () => {
    a.unplanned.add("spec");
    a.answers = ["hangs", { refused: { sentence: "It would lose a route", kind: "loses" } }];
    let first: object | undefined;
    void box.do(edit("spec"), {}).then((x) => (first = x));
    await soon();
    expect(first).toBeUndefined();
    a.go.forEach((f) => f());
    await soon();
    expect(first).toEqual({});
    const did = await box.do(edit("spec"), {});
    expect(did).toMatchObject({ refused: { kind: "loses" } });
    await soon();
    expect(a.waits().refused, "nobody has said that they heard it").toMatchObject([{ key: did.key, refused: { kind: "loses" } }]);
    box.letGo(did.key!);
    await soon();
    expect(a.waits().refused).toEqual([]);
    expect(a.kept.size).toBe(0);
  });

  it("goes to the server where there is no core", async () => {
    box = a.outbox();
    await box.open("r", 5, "ines");
    expect(await box.do(edit("mute"), {})).toEqual({});
    expect(a.log).toEqual(["keep mute", "send mute me", "tell 6"]);
  });

  it("is sent where nothing can be kept", async () => {
    a.canKeep = false;
    expect(await box.do(edit("mute"), {})).toEqual({});
    await soon();
    expect(a.log).toContain("send mute me");
  });
});

it("what was kept is sent after everything was closed, before what comes then, and is shown when the server has answered", async () => {
  a.answers = ["hangs"];
  await box.do(edit("one"), {});
  await box.do(edit("two"), {});
  await soon();
  a.log = [];
  a.answers = [];
  const after = a.outbox();
  after.plan(a.core);
  const third = after.do(edit("three"), {});
  await after.open("r", 5, "ines");
  await third;
  await soon();
  expect(a.log.filter((l) => l.startsWith("send"))).toEqual(["send one me", "send two me", "send three me"]);
  expect(a.kept.size).toBe(0);
});

it.each([true, false])("a page that has looked before what was kept was made is told of it (with the core: %s)", async (planned) => {
  a.answers = ["hangs"];
  await box.do(edit("one"), {});
  await soon();
  a.answers = [];
  const after = a.outbox();
  if (planned) after.plan(a.core);
  await soon(); // it is made by now
  a.told = [];
  await after.open("r", 5, "ines");
  await soon();
  const reels = a.told.filter((t) => "tell" in t && t.tell !== "waits");
  expect(reels).toHaveLength(1);
  expect(reels[0]).toMatchObject(planned ? { tell: "reel", view: { revision: 6 } } : { tell: "lost" });
});

it("what was kept is not planned again, as the server may have it", async () => {
  a.answers = ["hangs", "hangs"];
  await box.do(edit("one"), {});
  await soon();
  a.log = [];
  const after = a.outbox();
  await after.open("r", 5, "ines");
  after.plan(a.core);
  await soon();
  expect(a.log).toContain("core waits");
});

describe("what others do", () => {
  it("is asked for once nothing is under way", async () => {
    a.answers = ["hangs"];
    await box.do(edit("mute"), {});
    await soon();
    a.revision = 9;
    box.changed("r", 7, "ines");
    box.changed("r", 10, "ines");
    await soon();
    expect(a.log.filter((l) => l.startsWith("look"))).toEqual([]);
    a.go.forEach((f) => f());
    await soon();
    expect(a.revision).toBe(10);
    expect(a.log.filter((l) => l.startsWith("look"))).toEqual([]); // the answer says the same
    a.revision = 12;
    box.changed("", Number.MAX_SAFE_INTEGER, "ines"); // whatever it was
    await soon();
    expect(a.log.filter((l) => l.startsWith("look"))).toEqual(["look since 10"]);
    expect(a.log.at(-1)).toBe("tell 12");
  });

  it("is looked for again where the reel could not be had when the core came", async () => {
    const { look } = a.server;
    a.server.look = () => Promise.reject(new Error("away"));
    const later = a.outbox();
    later.plan(a.core);
    await later.open("r", 5, "ines");
    expect(a.log).not.toContain("core opens");
    a.server.look = look;
    later.changed("r", 6, "ines");
    await soon();
    expect(a.log).toContain("core opens");
  });

  it("is not lost where an edit was made while the reel came to the core", async () => {
    const later = a.outbox();
    await later.open("r", 5, "ines");
    let come = () => undefined as void;
    const { look } = a.server;
    a.server.look = async (...of) => {
      const view = await look(...of);
      if (of[2] === undefined) await new Promise<void>((done) => (come = done));
      return view;
    };
    later.plan(a.core); // it is asked for at 5
    await soon();
    const done = later.do(edit("mute"), {});
    await soon();
    come();
    await done;
    await soon();
    expect(a.log.slice(a.log.indexOf("core opens"))).toContain("look since 5");
    expect(a.log.at(-1)).toBe("tell 6");
  });

  it("ends what the core has of a reel where neither what changed nor all of it can be had", async () => {
    a.gap = true;
    a.answers = ["hangs"];
    await box.do(edit("mute"), {});
    await soon();
    const { look } = a.server;
    a.server.look = () => Promise.reject(new Error("away"));
    a.go.forEach((f) => f());
    await soon();
    expect(a.told.some((t) => "tell" in t && t.tell === "lost")).toBe(true);
    a.server.look = look;
    a.gap = false;
    a.log = [];
    box.changed("r", 7, "ines");
    await soon();
    expect(a.log).toContain("core opens"); // anew, without the edit that was made
    expect(a.log).not.toContain("core waits");
  });

  it("is fetched whole where it does not fit on what is known", async () => {
    a.gap = true;
    a.revision = 300;
    box.changed("r", 300, "ines");
    await soon();
    expect(a.log).toEqual(["look since 5", "look", "tell 300"]);
  });
});

it("what is told fits together, whatever of it is told later", async () => {
  let shown = { id: "r", revision: 5, routes: ["old"], ...Object.fromEntries(kinds.map((k) => [k, []])) } as unknown as ReelView;
  const part = (of: object) =>
    ({
      ...shown,
      ...of,
      since: { revision: a.revision, routed: false, gone: Object.fromEntries(kinds.map((k) => [k, []])) },
    }) as unknown as ReelView;
  const { core } = a;
  a.core = (q) => {
    const asked = q as { do?: object; follow?: ReelView; routing?: true };
    if (asked.do) return { shown: true, routes: true, name: "mute", view: part({ revision: a.revision }) };
    if (asked.follow) return { same: true, view: part({ revision: a.revision }) };
    if (asked.routing) {
      const view = part({ revision: a.revision, routes: ["new"] });
      return { view: { ...view, since: { ...view.since!, routed: true } } };
    }
    return core(q);
  };
  box.plan(a.core);
  for (let i = 0; i < 5; i++) await box.do(edit("mute"), {});
  await soon();
  await soon();
  for (const t of a.told) {
    if (!("tell" in t) || t.tell !== "reel") continue;
    const next = merged(shown, t.view);
    expect(next).not.toBeNull(); // it would be asked for anew
    shown = next!;
  }
  expect(shown).toMatchObject({ revision: 10, routes: ["new"] });
});

it("what is done with a reel waits for its edits", async () => {
  a.answers = ["hangs"];
  await box.do(edit("mute"), {});
  let settled = false;
  void box.settled("r").then(() => (settled = true));
  await soon();
  expect(settled).toBe(false);
  a.go.forEach((f) => f());
  await soon();
  expect(settled).toBe(true);
});
