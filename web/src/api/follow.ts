// What the server says has changed is loaded again, whichever room is open: a room that watched for itself would miss what
// is said while no room of its kind is there, and show what it remembers.
import type { QueryClient, QueryKey } from "@tanstack/react-query";

import { api, ok, type ReelView } from "./client";
import { onChange, type Change } from "./events";
import { editsOf, keysOf } from "./keys";
import { merged } from "./merge";

/** How often lists are fetched again at most while things change, in milliseconds. */
const atMostEvery = 400;

/** What shows something that has changed. Prints are known by their reel, and work by its production. */
function shown(c: Change): QueryKey[] {
  switch (c.kind) {
    case "takes":
      return [keysOf.takes(c.id), keysOf.matches(c.id)];
    case "work":
      return [keysOf.work(c.id), ["prints"]];
    case "reel":
      return []; // see Reels
    case "":
      return [["takes"], ["matches"], ["work"], ["prints"]];
  }
}

/** Reels are kept up by what has changed in them, and not while an edit is under way: its answer says the same. */
class Reels {
  private told = new Map<string, number>(); // the newest revision that the server spoke of

  constructor(private queries: QueryClient) {}

  hear(c: Change) {
    for (const [key] of this.queries.getQueriesData<ReelView>({ queryKey: c.kind === "" ? ["reel"] : keysOf.reel(c.id) })) {
      const id = String(key[1]);
      this.told.set(id, c.kind === "" ? Infinity : Math.max(c.revision ?? Infinity, this.told.get(id) ?? 0));
      this.catchUp(id);
    }
  }

  catchUp(id: string) {
    const key = keysOf.reel(id);
    const have = this.queries.getQueryData<ReelView>(key);
    if (
      !have ||
      (this.told.get(id) ?? 0) <= have.revision ||
      this.queries.isMutating({ predicate: (m) => m.options.scope?.id === editsOf(id) }) > 0
    )
      return;
    this.told.delete(id);
    ok(api.GET("/reels/{reel}", { params: { path: { reel: id }, query: { since: have.revision } } }))
      .then((now) => {
        const whole = merged(this.queries.getQueryData<ReelView>(key), now);
        if (whole) this.queries.setQueryData(key, whole);
        else void this.queries.invalidateQueries({ queryKey: key });
      })
      .catch(() => void this.queries.invalidateQueries({ queryKey: key }));
  }
}

/** Keeps what is remembered as the server has it, until the result is called. */
export function follow(queries: QueryClient): () => void {
  const due = new Map<string, QueryKey>();
  const reels = new Reels(queries);
  let waits: ReturnType<typeof setTimeout> | undefined;
  const stop = onChange((c) => {
    if (c.kind === "reel" || c.kind === "") reels.hear(c);
    shown(c).forEach((key) => due.set(key.join(" "), key));
    if (due.size === 0) return;
    waits ??= setTimeout(() => {
      waits = undefined;
      due.forEach((queryKey) => void queries.invalidateQueries({ queryKey }));
      due.clear();
    }, atMostEvery);
  });
  // What was said while an edit was under way may be of somebody else's, made after it.
  const ends = queries.getMutationCache().subscribe((e) => {
    const scope = e.mutation?.options.scope?.id;
    if (e.type !== "updated" || !scope?.startsWith(editsOf("")) || e.mutation?.state.status === "pending") return;
    reels.catchUp(scope.slice(editsOf("").length));
  });
  return () => {
    stop();
    ends();
    clearTimeout(waits);
  };
}
