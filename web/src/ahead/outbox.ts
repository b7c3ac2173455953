// The outbox: what is edited waits here until the server has confirmed it, over whatever happens meanwhile. There is one for all tabs of a browser. It has no
// page: the core that plans edits, where they are kept, how they are sent and whom it tells are handed to it.
import type { ReelView } from "../api/client";
import type { Answered, Edit, KnownTake, Refusal, Said, Told, Waiting, WaitingErrand } from "./edits";
import { type ErrandKeep, Errands, pauses, type Run, unheard } from "./errands";

/** The core, asked in its own words (core/ahead, Question and Answer). */
export type Core = (question: object) => Answer;
export type Answer = {
  view?: ReelView;
  routes?: boolean;
  name?: string;
  shown?: boolean;
  of?: string;
  sentence?: string;
  kind?: string;
  gap?: boolean;
  /** What the server says is what is shown already. */
  same?: boolean;
};

/** Where edits are kept. */
export type Keep = {
  all: () => Promise<Waiting[]>;
  put: (w: Waiting) => Promise<void>;
  remove: (key: string) => Promise<void>;
  errands: ErrandKeep;
};

/** What became of an edit; what is refused is kept under its key until whoever made it has said that they heard it. */
type Did = { view?: ReelView; refused?: Refusal; key?: string };

/** What became of a request: an answer, a refusal, or nothing that is known. */
export type Sent = { view: ReelView } | { refused: Refusal } | "unsure";
export type Server = {
  send: (w: Waiting, since: number) => Promise<Sent>;
  run: (e: WaitingErrand) => Promise<Run>;
  look: (reel: string, author: string, since?: number) => Promise<ReelView | null>;
};

type Lane = {
  waits: Waiting[];
  sending: boolean;
  /** The newest revision that is known here, the newest that the server spoke of, and the one that pages have been told of. */
  revision: number;
  told: number;
  pages: number;
  author: string;
  /** The core has it. */
  open: boolean;
  opening?: Promise<void>;
  takes: Record<string, KnownTake>;
  /** What is told once the hand rests: that the server has confirmed what is shown, and where things go by now. */
  soon: { view?: ReelView; routes: boolean } | null;
};

/** How long the hand is to rest before what can wait is told, in milliseconds. */
const rest = 60;

export class Outbox {
  private lanes = new Map<string, Lane>();
  private core: Core | null = null;
  private n = 0;
  /** What is told goes out in the order in which it came about, and nothing is shown before it is kept. */
  private chain: Promise<unknown> = Promise.resolve();
  private answers = new Map<string, (sent: Did) => void>();
  private begun: Promise<void>;
  private errands: Errands;

  constructor(
    private client: string,
    private keep: Keep,
    private server: Server,
    private tell: (told: Told) => void,
    private pause: (ms: number) => Promise<void> = (ms) => new Promise((done) => setTimeout(done, ms)),
  ) {
    this.errands = new Errands({
      keep: keep.errands,
      run: (e) => server.run(e),
      settled: (reel) => this.settled(reel, Number.POSITIVE_INFINITY),
      changed: () => this.tellWaits(),
      pause,
    });
    this.begun = this.begin();
    void this.begun.then(() => this.errands.begin());
  }

  /** Goes on with what was kept. Whether it was made is not known, so it is not shown before the server has answered. */
  private async begin() {
    const kept = await this.keep.all().catch(() => [] as Waiting[]);
    for (const w of kept.sort((a, b) => a.n - b.n)) {
      this.n = Math.max(this.n, w.n);
      this.lane(w.reel).waits.push({ ...w, shown: false, told: undefined });
    }
    if (kept.length > 0) this.tellWaits();
    for (const reel of this.lanes.keys()) void this.pump(reel);
  }

  /** Hears what a page says, and answers it. */
  async hear(said: Said, tell: (told: Told) => void) {
    const answer = (of: Did & { answered?: Answered }) => "n" in said && tell({ n: said.n, ...of });
    try {
      switch (said.say) {
        case "open":
          await this.open(said.reel, said.revision, said.author);
          this.sayWaits();
          return answer({});
        case "do":
          return answer(await this.do(said.edit, said.takes));
        case "run":
          return answer({ answered: await this.errands.run(said.errand) });
        case "settled":
          if (said.reel) await this.settled(said.reel);
          await this.errands.settled(this.pause);
          return answer({});
        case "look":
          return answer({ view: await this.look(said.reel, said.revision, said.author) });
        case "know":
          return this.know(said.reel, said.takes);
        case "changed":
          return this.changed(said.reel, said.revision, said.author);
        case "let go":
          return this.letGo(said.key);
      }
    } catch (error) {
      answer({ refused: { sentence: error instanceof Error ? error.message : String(error), kind: "" } });
    }
  }

  private lane(reel: string): Lane {
    let lane = this.lanes.get(reel);
    if (!lane) {
      lane = { waits: [], sending: false, revision: -1, told: -1, pages: -1, author: "", open: false, takes: {}, soon: null };
      this.lanes.set(reel, lane);
    }
    return lane;
  }

  private order<T>(what: () => T | Promise<T>): Promise<T> {
    const next = this.chain.then(what);
    this.chain = next.catch(() => undefined);
    return next;
  }

  /** The core is there. What is open is planned by it from now on. */
  plan(core: Core) {
    this.core = core;
    for (const reel of this.lanes.keys()) void this.adopt(reel);
  }

  /** A page shows a reel at a revision. */
  async open(reel: string, revision: number, author: string) {
    await this.begun;
    const lane = this.lane(reel);
    lane.author = author;
    if (lane.revision < 0) lane.revision = revision;
    await this.adopt(reel);
    // What was made before this page was there has not been told it.
    if (lane.open && (revision !== lane.pages || lane.waits.length > 0)) this.tellWhole(reel);
    else if (!lane.open && revision < lane.revision) this.tell({ tell: "lost", reel });
    if (revision > lane.revision) this.changed(reel, revision, author);
  }

  know(reel: string, takes: Record<string, KnownTake>) {
    const lane = this.lane(reel);
    lane.takes = { ...lane.takes, ...takes };
    if (lane.open) this.core!({ reel, know: takes });
  }

  /** Has the core begin with what the server has of a reel. Where that can't be had, it is tried again with what is done or told of it next. */
  private adopt(reel: string): Promise<void> {
    const lane = this.lane(reel);
    if (!this.core || lane.open || lane.revision < 0) return Promise.resolve();
    lane.opening ??= (async () => {
      try {
        const whole = await this.server.look(reel, lane.author);
        if (!whole || lane.open) return;
        this.core!({ reel, open: whole });
        this.core!({ reel, know: lane.takes });
        for (const w of this.pending(lane)) this.core!({ reel, do: { key: w.key, kind: w.kind, body: w.body, unsure: true } });
        lane.open = true;
        const newest = lane.revision;
        if (whole.revision !== newest) this.tellReel(reel, whole);
        lane.revision = lane.pages = whole.revision;
        if (whole.revision < newest) this.changed(reel, newest, lane.author); // an edit was made while it came
      } catch {
        // nothing is lost: what is done goes to the server
      } finally {
        lane.opening = undefined;
      }
    })();
    return lane.opening;
  }

  private pending = (lane: Lane) => lane.waits.filter((w) => !w.refused);

  /** All of a reel as it is shown; nothing where the page that has it at this revision has all of it, or where it can't be had. */
  async look(reel: string, revision: number, author: string): Promise<ReelView | undefined> {
    await this.begun;
    const lane = this.lane(reel);
    lane.author = author;
    if (!lane.open) return (await this.server.look(reel, author)) ?? undefined;
    lane.told = Number.MAX_SAFE_INTEGER;
    await this.catchUp(reel);
    await this.chain;
    return lane.revision === revision ? undefined : this.core!({ reel, whole: true }).view;
  }

  /** Makes an edit: gives what it was refused for, or nothing once it is shown; where it could not be planned, once the server has answered. */
  async do(edit: Edit, takes: Record<string, KnownTake>): Promise<Did> {
    await this.begun;
    const { reel } = edit;
    const lane = this.lane(reel);
    if (lane.revision < 0) lane.revision = edit.seen;
    this.n = Math.max(this.n + 1, Date.now()); // never the same twice, also after all has been confirmed and all pages are closed
    const w: Waiting = {
      ...edit,
      key: `${this.client}.${this.n}`,
      n: this.n,
      made: Date.now(),
      name: "",
      shown: false,
      refused: undefined,
    };
    let view: ReelView | undefined;
    if (lane.open) {
      if (Object.keys(takes).length > 0) this.know(reel, takes);
      const did = this.core!({ reel, do: { key: w.key, kind: w.kind, body: w.body } });
      if (did.sentence) return { refused: { sentence: did.sentence, kind: did.kind ?? "" } };
      w.name = did.name ?? "";
      w.shown = did.shown ?? false;
      if (did.of) w.body = { key: did.of } as never;
      view = did.view;
      if (did.routes) this.soon(reel, undefined, true);
    }
    lane.waits.push(w);
    const answered = new Promise<Did>((done) => this.answers.set(w.key, done));
    await this.order(async () => {
      await this.keep.put(w).catch(() => undefined); // where nothing can be kept it is sent all the same
      if (view) this.tellNow(reel, view);
      this.tellWaits();
    });
    void this.pump(reel);
    return w.shown ? {} : answered;
  }

  /** Tells what can wait for the next picture but one: drawing it would keep the hand waiting. */
  private soon(reel: string, view: ReelView | undefined, routes: boolean) {
    const lane = this.lane(reel);
    const due = lane.soon === null;
    lane.soon = { view: view ?? lane.soon?.view, routes: routes || (lane.soon?.routes ?? false) };
    if (!due) return;
    void this.pause(rest).then(() => {
      const now = lane.soon!;
      lane.soon = null;
      this.tellReel(reel, now.routes ? this.core!({ reel, routing: true }).view : now.view);
    });
  }

  private tellReel(reel: string, view: ReelView | undefined) {
    if (view) void this.order(() => this.tellNow(reel, view));
  }

  /** What has changed is told as what has since what was told before: pages miss nothing of it. */
  private tellNow(reel: string, view: ReelView) {
    const lane = this.lane(reel);
    if (lane.open) {
      if (view.since) view.since.revision = lane.pages;
      lane.pages = view.revision;
    }
    this.tell({ tell: "reel", reel, view, planned: lane.open });
  }

  private tellWhole(reel: string) {
    this.tellReel(reel, this.core!({ reel, whole: true }).view);
  }

  private said: "rests" | "said" | "again" = "rests";

  /** Says what waits: at once, and where much is done, again once in a while. */
  private tellWaits() {
    if (this.said !== "rests") {
      this.said = "again";
      return;
    }
    this.said = "said";
    this.sayWaits();
    void this.pause(50).then(() => {
      const again = this.said === "again";
      this.said = "rests";
      if (again) this.tellWaits();
    });
  }

  /** Says what waits. */
  sayWaits() {
    const all = [...this.lanes.values()].flatMap((l) => l.waits);
    const errands = this.errands.all();
    const open = [...all, ...errands].filter((w) => !w.refused);
    this.tell({
      tell: "waits",
      count: open.length,
      since: Math.min(...open.map((w) => w.made)),
      refused: all.filter((w) => w.refused && !w.told).sort((a, b) => a.n - b.n),
      undone: errands.filter((e) => e.refused && !e.told).sort((a, b) => a.n - b.n),
    });
  }

  /** Waits until the server has answered all edits of a reel, or can't be reached. */
  async settled(reel: string, most = 400): Promise<void> {
    await this.begun;
    for (let tries = 0; this.pending(this.lane(reel)).length > 0 && tries < most; tries++) {
      void this.pump(reel);
      await this.pause(25);
    }
  }

  /** Sends what waits of a reel, one after another. */
  private async pump(reel: string) {
    const lane = this.lane(reel);
    if (lane.sending) return;
    lane.sending = true;
    try {
      for (let tries = 0; ; ) {
        const w = this.pending(lane)[0];
        if (!w) break;
        await this.chain; // it is kept
        const sent = await this.server.send(w, lane.revision);
        if (sent === "unsure") {
          await this.pause(pauses[Math.min(tries++, pauses.length - 1)]!);
          continue;
        }
        tries = 0;
        await this.answered(reel, w, sent);
      }
    } finally {
      lane.sending = false;
    }
    await this.catchUp(reel);
  }

  private async answered(reel: string, w: Waiting, sent: Exclude<Sent, "unsure">) {
    const lane = this.lane(reel);
    const asked = this.answers.get(w.key);
    this.answers.delete(w.key);
    if ("view" in sent) {
      lane.waits = lane.waits.filter((x) => x !== w);
      await this.followed(reel, sent.view, w.key);
    } else {
      if (lane.open) {
        const did = this.core!({ reel, refuse: w.key });
        this.tellReel(reel, did.view);
        if (did.routes) this.soon(reel, undefined, true);
      }
      // Who waits for the answer is told. What was on the screen already, or was made before a reload, is listed.
      Object.assign(w, { refused: sent.refused, told: asked && !w.shown ? Date.now() : undefined });
    }
    await this.order(async () => {
      await (w.refused ? this.keep.put(w) : this.keep.remove(w.key)).catch(() => undefined);
      this.tellWaits();
    });
    asked?.("view" in sent ? {} : { refused: sent.refused, key: w.key });
    if (w.told) void unheard(w, { pause: this.pause, changed: () => this.tellWaits() });
  }

  /** Takes over what the server says of a reel. */
  private async followed(reel: string, view: ReelView, key = "") {
    const lane = this.lane(reel);
    if (!lane.open) {
      this.tellReel(reel, view);
      lane.revision = Math.max(lane.revision, view.revision);
      return;
    }
    let did = this.core!({ reel, follow: view, key });
    if (did.gap) {
      const whole = await this.server.look(reel, lane.author).catch(() => null);
      if (!whole) {
        // Else the core would keep what the server has made, as if it waited still.
        this.core!({ reel, close: true });
        lane.open = false;
        return void this.tell({ tell: "lost", reel });
      }
      did = this.core!({ reel, follow: whole, key });
    }
    const before = lane.revision;
    lane.revision = Math.max(before, did.view?.revision ?? -1);
    if (did.same && !key && lane.revision === before) return; // nothing new
    if (did.same) return this.soon(reel, did.view, did.routes ?? false);
    this.tellReel(reel, did.view);
    if (did.routes) this.soon(reel, undefined, true);
  }

  /** The server has said that a reel is at a revision by now; or, of no reel, that any may have changed. */
  changed(reel: string, revision: number, author: string) {
    for (const id of reel ? [reel] : this.lanes.keys()) {
      const lane = this.lanes.get(id);
      if (!lane) continue;
      lane.told = Math.max(lane.told, revision);
      lane.author ||= author;
      void this.catchUp(id);
    }
  }

  /** Asks for what others have changed, but not while an edit is under way: its answer says the same. */
  private async catchUp(reel: string) {
    const lane = this.lane(reel);
    if (!lane.sending) await this.adopt(reel);
    if (lane.sending || lane.told <= lane.revision || lane.revision < 0) return;
    lane.sending = true;
    const told = lane.told;
    try {
      const view = await this.server.look(reel, lane.author, lane.revision);
      if (lane.told === told) lane.told = -1;
      if (view) await this.followed(reel, view);
    } catch {
      this.tell({ tell: "lost", reel });
    } finally {
      lane.sending = false;
    }
    if (this.pending(lane).length > 0) void this.pump(reel);
    else if (lane.told > lane.revision) void this.catchUp(reel);
  }

  /** Takes an edit off the list that the server has refused. */
  letGo(key: string) {
    for (const lane of this.lanes.values()) lane.waits = lane.waits.filter((w) => w.key !== key || !w.refused);
    void this.order(async () => {
      await this.errands.letGo(key);
      await this.keep.remove(key).catch(() => undefined);
      this.tellWaits();
    });
  }
}
