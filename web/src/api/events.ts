// What changes on the server, told by one stream for all tabs and rooms: a browser opens no more than a few connections
// to one server, and each room with one of its own would use them up.
import { base } from "./client";

export type Change = { kind: "" | "reel" | "work" | "takes"; id: string; revision?: number };

const listeners = new Set<(change: Change) => void>();
let connected = false;

function tell(data: string) {
  const change = JSON.parse(data) as Change;
  listeners.forEach((f) => f(change));
}

function connect() {
  if (connected) return;
  connected = true;
  if (typeof SharedWorker !== "undefined") {
    const worker = new SharedWorker(new URL("./events.worker.ts", import.meta.url), { type: "module", name: "events" });
    worker.port.onmessage = (e: MessageEvent<string>) => tell(e.data);
    worker.port.postMessage(`${base}/events`);
    return;
  }
  if (typeof EventSource === "undefined") return; // in tests
  const source = new EventSource(`${base}/events`);
  source.addEventListener("change", (e) => tell(e.data as string));
}

/** Calls back for each change until the result is called. A change of no kind means that anything may have changed. */
export function onChange(f: (change: Change) => void): () => void {
  listeners.add(f);
  connect();
  return () => listeners.delete(f);
}
