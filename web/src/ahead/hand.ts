// The page's side of the outbox: what is edited goes there, and what is told from there is shown.
import type { ReelView } from "../api/client";
import type { Answered, Edit, Errand, KnownTake, Refusal, Said, Told, Waits } from "./edits";
import { noKeep } from "./keep";
import { newKey } from "./key";
import { Outbox } from "./outbox";
import { server } from "./server";

type Answer = { view?: ReelView; refused?: Refusal; answered?: Answered; key?: string };
type Numbered = Extract<Said, { n: number }>;
/** What is said under a number, without it. */
type Unnumbered = Numbered extends infer S ? (S extends Numbered ? Omit<S, "n"> : never) : never;

const none: Waits = { count: 0, since: 0, refused: [], undone: [] };

class Hand {
  /** This page, among all that are open. */
  readonly page = newKey();
  private port: { postMessage: (said: Said) => void } | null = null;
  private n = 0;
  private asked = new Map<number, (a: Answer) => void>();
  private shows: ((told: Extract<Told, { tell: "reel" | "lost" }>) => void) | undefined;
  private waits = none;
  private listeners = new Set<() => void>();

  private connect() {
    if (this.port) return this.port;
    if (typeof SharedWorker !== "undefined") {
      const worker = new SharedWorker(new URL("./ahead.worker.ts", import.meta.url), { type: "module", name: "ahead" });
      worker.port.onmessage = (e: MessageEvent<Told>) => this.hear(e.data);
      this.port = worker.port;
    } else this.port = alone((told) => this.hear(told));
    return this.port;
  }

  private hear(told: Told) {
    if ("n" in told) {
      this.asked.get(told.n)?.(told);
      this.asked.delete(told.n);
    } else if (told.tell === "waits") {
      this.waits = told;
      this.listeners.forEach((f) => f());
    } else this.shows?.(told);
  }

  private ask(said: Unnumbered): Promise<Answer> {
    const n = ++this.n;
    return new Promise((done) => {
      this.asked.set(n, done);
      this.connect().postMessage({ ...said, n } as Said);
    });
  }

  /** Who shows reels is told what becomes of them. */
  onTold(f: (told: Extract<Told, { tell: "reel" | "lost" }>) => void) {
    this.shows = f;
    this.connect();
  }

  /** What waits for the server, as React looks at it. */
  subscribe = (f: () => void) => {
    this.listeners.add(f);
    return () => this.listeners.delete(f);
  };
  waiting = () => this.waits;

  open = (reel: string, revision: number, author: string) => this.ask({ say: "open", reel, revision, author });
  do = async (edit: Edit, takes: Record<string, KnownTake>): Promise<Answer> => {
    const answer = await this.ask({ say: "do", edit, takes });
    if (answer.key) this.letGo(answer.key); // who made it knows why it was not made
    return answer;
  };
  /** Has the server do something, whenever it can be reached; fails where that can't be asked for. */
  run = async (errand: Errand): Promise<Answered> => {
    const { answered, refused } = await this.ask({ say: "run", errand });
    if (!answered) throw new Error(refused?.sentence);
    if (answered.status >= 400) this.letGo(errand.key);
    return answered;
  };
  /** Waits until the server has all that was edited of a reel, if one is named, and all errands. */
  settled = (reel: string) => this.ask({ say: "settled", reel });
  /** All of a reel as it is to be shown; nothing where it is at this revision still. */
  look = async (reel: string, revision: number, author: string) => (await this.ask({ say: "look", reel, revision, author })).view;
  know = (reel: string, takes: Record<string, KnownTake>) => this.connect().postMessage({ say: "know", reel, takes });
  changed = (reel: string, revision: number, author: string) => this.connect().postMessage({ say: "changed", reel, revision, author });
  letGo = (key: string) => this.connect().postMessage({ say: "let go", key });
}

/** Where a browser has no workers for all tabs, the outbox is the page's own, and edits are shown when the server has answered. */
function alone(tell: (told: Told) => void) {
  const box = new Outbox(newKey(), noKeep, server, tell);
  return { postMessage: (said: Said) => void box.hear(said, tell) };
}

export const hand = new Hand();
