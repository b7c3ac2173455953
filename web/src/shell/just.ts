// What just happened, for whoever does not see it: said once, and not when a page is opened.
import { useEffect, useRef, useState } from "react";

export type Turns = { of: string; undo: string; redo: string };

/** How long it can be read, in milliseconds. */
const stays = 4000;

/** What was done between two states of what one can take back and bring back: nothing where they are of two things. */
export function justDone(was: Turns | undefined, now: Turns | undefined): string {
  if (!was || !now || was.of !== now.of || (was.undo === now.undo && was.redo === now.redo)) return "";
  if (now.redo && now.redo === was.undo) return `Undone: ${now.redo}`;
  if (now.undo && now.undo === was.redo) return `Done again: ${now.undo}`;
  return now.undo && now.undo !== was.undo ? `Done: ${now.undo}` : "";
}

/** The words for it while they are new. */
export function useJustDone(now: Turns | undefined): string {
  const before = useRef(now);
  const [said, setSaid] = useState("");
  // biome-ignore lint/correctness/useExhaustiveDependencies: it is what these come to that counts
  useEffect(() => {
    const words = justDone(before.current, now);
    before.current = now;
    if (words) setSaid(words);
  }, [now?.of, now?.undo, now?.redo]);
  useEffect(() => {
    const gone = said ? setTimeout(() => setSaid(""), stays) : undefined;
    return () => clearTimeout(gone);
  }, [said]);
  return said;
}
