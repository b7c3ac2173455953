// Requests that make something bear a key of their own, and are made again where their answer is lost: the server knows the key.

/** How the addresses end at which something is made under a key, which the contract says too. */
const made =
  "productions reels takes group convert imports batches sync level prints queue patterns pattern specs receipts reel settle " +
  "revision correct handover handedover";
export const makes = new RegExp(`/(${made.replaceAll(" ", "|")})$`);

/** How long to wait before each further try, in milliseconds. */
export const pauses = [300, 1000, 3000];

export const newKey = () => Array.from(crypto.getRandomValues(new Uint32Array(4)), (n) => n.toString(36)).join("-");

/** Fetches, and has patience with what makes something. */
export async function patient(request: Request): Promise<Response> {
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
