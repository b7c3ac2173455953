// Where edits are kept: in the browser's own database.
import type { Waiting, WaitingErrand } from "./edits";
import type { Keep } from "./outbox";

function done<T>(request: IDBRequest<T>): Promise<T> {
  return new Promise((yes, no) => {
    request.onsuccess = () => yes(request.result);
    request.onerror = () => no(request.error ?? new Error("It could not be kept"));
  });
}

async function opened(): Promise<IDBDatabase> {
  const request = indexedDB.open("loom", 2);
  request.onupgradeneeded = (e) => {
    if (e.oldVersion < 1) {
      request.result.createObjectStore("edits", { keyPath: "key" });
      request.result.createObjectStore("self");
    }
    if (e.oldVersion < 2) request.result.createObjectStore("errands", { keyPath: "key" });
  };
  // Tabs of an older version that are open still would keep this one waiting.
  const blocked = new Promise<never>((_, no) => {
    request.onblocked = () => no(new Error("Another version of this has it open"));
  });
  const db = await Promise.race([done(request), blocked]);
  db.onversionchange = () => db.close();
  return db;
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
  const kept = <T>(of: string) => ({
    all: () => done(db.transaction(of).objectStore(of).getAll() as IDBRequest<T[]>),
    put: (w: T) => write(of, (store) => store.put(w)),
    remove: (key: string) => write(of, (store) => store.delete(key)),
  });
  return {
    client,
    keep: { ...kept<Waiting>("edits"), errands: kept<WaitingErrand>("errands") },
  };
}

/** Where nothing can be kept. */
const nothing = { all: () => Promise.resolve([]), put: () => Promise.resolve(), remove: () => Promise.resolve() };
export const noKeep: Keep = { ...nothing, errands: nothing };
