// Requests that make something bear a key of their own, and are made again where their answer is lost: the server knows the key.
import { hand } from "../ahead/hand";
import { newKey } from "../ahead/key";

/** How the addresses end at which something is made under a key, which the contract says too. */
const made =
  "productions reels takes group convert imports batches sync level prints queue patterns pattern specs receipts reel settle " +
  "revision correct handover handedover";
export const makes = new RegExp(`/(${made.replaceAll(" ", "|")})$`);

/** How long to wait before each further try, in milliseconds. */
export const pauses = [300, 1000, 3000];

/** What is done with a reel, but for looking at it: it is done with all that has been edited. */
const withReel = /\/reels\/([^/]+)(\/|$)/;

/** Fetches, and has patience with what makes something. */
export async function patient(request: Request): Promise<Response> {
  const reel = request.method === "GET" ? null : withReel.exec(new URL(request.url).pathname);
  if (reel) await hand.settled(reel[1]!);
  if (request.method !== "POST" || !makes.test(new URL(request.url).pathname) || request.headers.has("Idempotency-Key"))
    return fetch(request);
  request.headers.set("Idempotency-Key", newKey());
  for (const pause of pauses) {
    try {
      const answer = await fetch(request.clone());
      if (answer.status !== 503) return answer;
    } catch {
      // whether it was done is not known
    }
    await new Promise((done) => setTimeout(done, pause));
  }
  return fetch(request);
}
