// How the page asks the server. What changes something goes by way of the outbox, which has it done once, whatever happens to the server, the line or the tab.
import type { Answered } from "../ahead/edits";
import { hand } from "../ahead/hand";
import { newKey } from "../ahead/key";
import { errandName } from "./errands";

export const base = "/api/v1";

/** What is asked with a question is asked of all that has been edited: of the reel it is about, and of takes. */
const withReel = /\/reels\/([^/]+)(\/|$)/;

/** Fetches; what changes something is answered whenever the server can be reached, and nothing of it is lost meanwhile. */
export async function patient(request: Request): Promise<Response> {
  const url = new URL(request.url);
  const path = url.pathname.slice(base.length);
  if (errandName(request.method, path)) {
    const text = await request.text();
    return responseOf(
      await hand.run({
        method: request.method,
        path: path + url.search,
        body: text === "" ? null : text,
        type: request.headers.get("Content-Type") ?? "application/json",
        author: decodeURIComponent(request.headers.get("Loom-Author") ?? ""),
        key: request.headers.get("Idempotency-Key") ?? newKey(),
      }),
    );
  }
  if (request.method !== "GET") await hand.settled(withReel.exec(path)?.[1] ?? "");
  return fetch(request);
}

function responseOf(a: Answered): Response {
  const headers = new Headers({ "Content-Type": a.type || "application/json" });
  if (a.location) headers.set("Location", a.location);
  if (a.body === "") headers.set("Content-Length", "0");
  return new Response([204, 205, 304].includes(a.status) ? null : a.body, { status: a.status, headers });
}
