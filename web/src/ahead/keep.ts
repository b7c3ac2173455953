// Where edits are kept: in the browser's own database.
import type { Waiting } from "./edits";
import type { Keep } from "./outbox";

function done<T>(request: IDBRequest<T>): Promise<T> {
  return new Promise((yes, no) => {
    request.onsuccess = () => yes(request.result);
    request.onerror = () => no(request.error ?? new Error("It could not be kept"));
  });
}

async function opened(): Promise<IDBDatabase> {
  const request = indexedDB.open("loom", 1);
  request.onupgradeneeded = () => {
    request.result.createObjectStore("edits", { keyPath: "key" });
    request.result.createObjectStore("self");
  };
  return done(request);
}

/** Opens it, and gives the name that the keys of this browser's edits begin with. */
export async function openKeep(fresh: () => string): Promise<{ keep: Keep; client: string }> {
  const db = await opened();
  const write = (of: string, what: (store: IDBObjectStore) => void) =>
    new Promise<void>((yes, no) => {
      const change = db.transaction(of, "readwrite");
      change.oncomplete = () => yes();
      change.onerror = change.onabort = () => no(change.error ?? new Error("It could not be kept"));
      what(change.objectStore(of));
    });
  const self = db.transaction("self").objectStore("self");
  let client = (await done(self.get("client"))) as string | undefined;
  if (!client) {
    client = fresh();
    const name = client;
    await write("self", (store) => store.put(name, "client"));
  }
  return {
    client,
    keep: {
      all: () => done(db.transaction("edits").objectStore("edits").getAll() as IDBRequest<Waiting[]>),
      put: (w) => write("edits", (store) => store.put(w)),
      remove: (key) => write("edits", (store) => store.delete(key)),
    },
  };
}

/** Where nothing can be kept. */
export const noKeep: Keep = { all: () => Promise.resolve([]), put: () => Promise.resolve(), remove: () => Promise.resolve() };
