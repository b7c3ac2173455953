// What the server says has changed is loaded again, whichever room is open: a room that watched for itself would miss what
// is said while no room of its kind is there, and show what it remembers.
import type { QueryClient, QueryKey } from "@tanstack/react-query";

import { hand } from "../ahead/hand";
import { author, type ReelView } from "./client";
import { onChange, type Change } from "./events";
import { keysOf } from "./keys";
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
      return []; // the outbox follows them
    case "":
      return [["takes"], ["matches"], ["work"], ["prints"]];
  }
}

/** Shows what the outbox says of reels. */
function showReels(queries: QueryClient) {
  hand.onTold((told) => {
    const key = keysOf.reel(told.reel);
    const have = queries.getQueryData<ReelView>(key);
    if (!have) return; // no room has shown it
    const whole = told.tell === "reel" && merged(have, told.view, told.planned);
    if (whole) queries.setQueryData(key, whole);
    else void queries.invalidateQueries({ queryKey: key });
  });
}

/** Keeps what is remembered as the server has it, until the result is called. */
export function follow(queries: QueryClient): () => void {
  const due = new Map<string, QueryKey>();
  showReels(queries);
  let waits: ReturnType<typeof setTimeout> | undefined;
  const stop = onChange((c) => {
    if (c.kind === "reel" || c.kind === "") hand.changed(c.id, c.revision ?? Number.MAX_SAFE_INTEGER, author());
    shown(c).forEach((key) => due.set(key.join(" "), key));
    if (due.size === 0) return;
    waits ??= setTimeout(() => {
      waits = undefined;
      due.forEach((queryKey) => void queries.invalidateQueries({ queryKey }));
      due.clear();
    }, atMostEvery);
  });
  return () => {
    stop();
    clearTimeout(waits);
  };
}
