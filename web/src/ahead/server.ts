// How the outbox speaks to the server.
import type { ReelView, Schemas } from "../api/client";
import type { Waiting } from "./edits";
import type { Server } from "./outbox";

const base = "/api/v1";
/** What says nothing of whether it was done. */
const unsure = new Set([408, 429, 502, 503, 504]);

/** How long an answer may take, in milliseconds. After it nobody knows, and it is asked again under the same key. */
const patience = 60_000;

/** The kind of problem that an answer speaks of. */
function kindOf(body: string): string {
  try {
    return (JSON.parse(body) as Partial<Schemas["Problem"]>)?.kind ?? "";
  } catch {
    return "";
  }
}

const by = (author: string) => ({ "Loom-Author": encodeURIComponent(author) });

/** What is sent of an edit: what it asks for, and what whoever asked had seen. */
export function sentOf(w: Waiting): object {
  if (w.path === "undo" || w.path === "redo") return w.body; // which go by steps
  return { revision: w.seen, ...w.body };
}

export const server: Server = {
  async send(w, since) {
    let answer: Response;
    try {
      answer = await fetch(`${base}/reels/${w.reel}/${w.path}?since=${Math.max(0, since)}`, {
        method: "POST",
        headers: { ...by(w.author), "Content-Type": "application/json", "Idempotency-Key": w.key },
        body: JSON.stringify(sentOf(w)),
        signal: AbortSignal.timeout(patience),
      });
      if (answer.ok) return { view: (await answer.json()) as ReelView };
    } catch {
      return "unsure"; // the answer was lost
    }
    if (unsure.has(answer.status)) return "unsure";
    const problem = (await answer.json().catch(() => ({}))) as Partial<Schemas["Problem"]>;
    if (problem.kind === "away") return "unsure";
    return {
      refused: {
        sentence: problem.title ?? `The server answered ${answer.status}`,
        kind: problem.kind ?? "",
        step: problem.step,
        at: problem.at,
      },
    };
  },

  async run(e) {
    try {
      const answer = await fetch(base + e.path, {
        method: e.method,
        headers: { ...by(e.author), ...(e.body !== null && { "Content-Type": e.type }), "Idempotency-Key": e.key },
        body: e.body,
        signal: AbortSignal.timeout(patience),
      });
      const said = { status: answer.status, body: await answer.text(), type: answer.headers.get("Content-Type") ?? "" };
      if (unsure.has(answer.status) || kindOf(said.body) === "away") return "unsure";
      return { ...said, location: answer.headers.get("Location") ?? "" };
    } catch {
      return "unsure"; // the answer was lost
    }
  },

  async look(reel, author, since) {
    const answer = await fetch(`${base}/reels/${reel}${since === undefined ? "" : `?since=${since}`}`, {
      headers: by(author),
      signal: AbortSignal.timeout(patience),
    });
    return answer.ok ? ((await answer.json()) as ReelView) : null;
  },
};
