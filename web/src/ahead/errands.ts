// What is asked of the server that is no edit of an open reel: takes and their ties, stems, specs, patterns, prints, anything that changes something. Each
// errand is kept until the server has answered it, and those about the same thing go one after another.
import type { Answered, Errand, Refusal, WaitingErrand } from "./edits";

/** What became of an errand: its answer, or nothing that is known. */
export type Run = Answered | "unsure";

export type ErrandKeep = {
  all: () => Promise<WaitingErrand[]>;
  put: (e: WaitingErrand) => Promise<void>;
  remove: (key: string) => Promise<void>;
};

/** How long to wait before each further try, in milliseconds; the last goes on. */
export const pauses = [200, 500, 1000, 2000, 3000];

/** What errands have around them. */
export type Surroundings = {
  keep: ErrandKeep;
  run: (e: WaitingErrand) => Promise<Run>;
  /** Waits until all that was edited of a reel before is answered: what is asked of a reel is asked of what was shown. */
  settled: (reel: string) => Promise<void>;
  /** What waits is another than before. */
  changed: () => void;
  pause: (ms: number) => Promise<void>;
};

/** The thing that an errand is about: of one kind and ID, whatever is done with it. */
export const aboutOf = (path: string) => path.split("?")[0]!.split("/").slice(1, 3).join("/");

export class Errands {
  private lanes = new Map<string, WaitingErrand[]>();
  private sending = new Set<string>();
  private asked = new Map<string, (a: Answered) => void>();
  private n = 0;

  constructor(private around: Surroundings) {}

  /** Goes on with what was kept. */
  async begin() {
    const kept = await this.around.keep.all().catch(() => [] as WaitingErrand[]);
    for (const e of kept.sort((a, b) => a.n - b.n)) {
      this.n = Math.max(this.n, e.n);
      this.lane(e.path).push({ ...e, tried: true, told: undefined });
    }
    if (kept.length > 0) this.around.changed();
    for (const about of this.lanes.keys()) void this.pump(about);
  }

  private lane(path: string): WaitingErrand[] {
    const about = aboutOf(path);
    const lane = this.lanes.get(about) ?? [];
    this.lanes.set(about, lane);
    return lane;
  }

  all = () => [...this.lanes.values()].flat();

  /** Runs an errand, and gives what the server answered. */
  async run(errand: Errand): Promise<Answered> {
    this.n = Math.max(this.n + 1, Date.now());
    const e: WaitingErrand = { ...errand, n: this.n, made: Date.now(), tried: false };
    const answered = new Promise<Answered>((done) => this.asked.set(e.key, done));
    this.lane(e.path).push(e);
    this.around.changed();
    await this.around.keep.put(e).catch(() => undefined); // where nothing can be kept it is sent all the same
    void this.pump(aboutOf(e.path));
    return answered;
  }

  /** Waits until the server has answered all of them, or can't be reached. */
  async settled(pause: (ms: number) => Promise<void>) {
    for (let tries = 0; tries < 400 && this.all().some((e) => !e.refused); tries++) await pause(25);
  }

  private async pump(about: string) {
    if (this.sending.has(about)) return;
    this.sending.add(about);
    const lane = this.lanes.get(about)!;
    const [kind, id] = about.split("/");
    for (let tries = 0; ; ) {
      const e = lane.find((x) => !x.refused);
      if (!e) break;
      if (kind === "reels" && id) await this.around.settled(id);
      const answer = await this.around.run(e);
      if (answer === "unsure") {
        e.tried = true;
        await this.around.pause(pauses[Math.min(tries++, pauses.length - 1)]!);
        continue;
      }
      tries = 0;
      await this.answered(lane, e, answer);
    }
    this.sending.delete(about);
  }

  private async answered(lane: WaitingErrand[], e: WaitingErrand, answer: Answered) {
    const asked = this.asked.get(e.key);
    this.asked.delete(e.key);
    const gone = answer.status === 404 && e.method === "DELETE" && e.tried; // by the try whose answer was lost, or by somebody else
    const refused = answer.status >= 400 && !gone;
    if (refused) Object.assign(e, { refused: refusalOf(answer), told: asked && Date.now() });
    else lane.splice(lane.indexOf(e), 1);
    await (e.refused ? this.around.keep.put(e) : this.around.keep.remove(e.key)).catch(() => undefined);
    this.around.changed();
    asked?.(gone ? { ...answer, status: 204, body: "" } : answer);
    if (e.told) void unheard(e, this.around);
  }

  /** Takes an errand off the list that the server has refused. */
  letGo(key: string) {
    for (const lane of this.lanes.values()) {
      const i = lane.findIndex((e) => e.key === key && e.refused);
      if (i >= 0) lane.splice(i, 1);
    }
    return this.around.keep.remove(key).catch(() => undefined);
  }
}

/** How long a page may take to say that it heard why something was not done, in milliseconds. */
const hearing = 3000;

/** Lists what was refused where who was told has not said that they heard it: their page may have been gone by then. */
export async function unheard(w: { told?: number }, around: Pick<Surroundings, "pause" | "changed">) {
  await around.pause(hearing);
  w.told = undefined;
  around.changed();
}

/** Why the server did not do something. */
export function refusalOf(a: Answered): Refusal {
  let problem: { title?: string; kind?: string } = {};
  try {
    problem = JSON.parse(a.body) as typeof problem;
  } catch {
    // then its number is all there is
  }
  return { sentence: problem.title ?? `The server answered ${a.status}`, kind: problem.kind ?? "" };
}
