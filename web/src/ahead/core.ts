// The core as it runs in the browser: Go, compiled to WebAssembly (cmd/page).
import type { Answer, Core } from "./outbox";
import address from "./core.wasm?url";
import "./wasm_exec.js";

type Go = { importObject: WebAssembly.Imports; run: (of: WebAssembly.Instance) => Promise<void> };
const here = globalThis as unknown as { Go: new () => Go; loomAsk: (question: string) => string };

/** Loads it. It takes the better part of a second, and the scope that it is loaded into is its own from then on. */
export async function loadCore(): Promise<Core> {
  const go = new here.Go();
  const { instance } = await WebAssembly.instantiateStreaming(fetch(address), go.importObject);
  void go.run(instance); // for ever
  return (question) => JSON.parse(here.loomAsk(JSON.stringify(question))) as Answer;
}
