import { useCallback, useRef, useState } from "react";

import { allowed } from "../../../api/allowed";
import { Problem, type Command, type ReelView } from "../../../api/client";
import type { useReelEdits, Wanted } from "../../../api/hooks";
import { Dialog } from "../../../ui/dialog";

type Attempt = (yes: boolean) => Promise<ReelView>;
type Waiting = { attempt: Attempt; why: string; kind: Asks; done: (v: ReelView | undefined) => void };

/** What the server asks about before it does it, by the kind of its refusal. */
const asks = {
  unties: {
    title: "This breaks sync",
    about: "Its offset will stand on the clip, and one key ties it back.",
    no: "Leave it in sync",
    yes: "Do it and untie",
  },
  loses: { title: "Not all of it can follow", about: "Undo brings everything back.", no: "Leave it as it is", yes: "Do it all the same" },
};
type Asks = keyof typeof asks;

const isAsked = (kind: string): kind is Asks => kind in asks;

/** What the page asks about before it asks the server: what goes with a track. */
export function removal(view: ReelView | undefined, c: Command): Pick<Removing, "title" | "about"> | null {
  if (!view || c.kind !== "removeTracks") return null;
  const gone = view.tracks.filter((t) => c.command.tracks.includes(t.id));
  const clips = view.clips.filter((x) => c.command.tracks.includes(x.track)).length;
  if (gone.length === 0) return null;
  const what = gone.length === 1 ? gone[0]!.name : `${gone.length} tracks`;
  const along = clips === 0 ? "Nothing is on it." : clips === 1 ? "One clip goes with it." : `${clips} clips go with it.`;
  return { title: `Remove ${what}?`, about: `${gone.length > 1 ? along.replace(/\bit\b/, "them") : along} Undo brings everything back.` };
}

type Removing = { title: string; about: string; done: (yes: boolean) => void };

/** Commands that would put clips out of sync, lose a route, or take tracks away say so first: the user decides. */
export function useConsent(edits: Pick<ReturnType<typeof useReelEdits>, "attempt">, view?: ReelView) {
  const [waiting, setWaiting] = useState<Waiting | null>(null);
  const [removing, setRemoving] = useState<Removing | null>(null);
  const latest = useRef(view);
  latest.current = view;
  const { attempt } = edits;
  const ask = useCallback(
    (attempt: Attempt): Promise<ReelView | undefined> =>
      attempt(false).catch((error: unknown) => {
        if (!(error instanceof Problem) || !isAsked(error.kind)) return undefined;
        const kind = error.kind;
        return new Promise<ReelView | undefined>((done) => setWaiting({ attempt, why: error.message, kind, done }));
      }),
    [],
  );
  const doIt = useCallback(
    async (c: Wanted) => {
      const first = typeof c === "function" ? null : removal(latest.current, c);
      if (first && !(await new Promise<boolean>((done) => setRemoving({ ...first, done })))) return undefined;
      return ask((yes) => attempt(!yes ? c : typeof c === "function" ? (view) => allowed(c(view)) : allowed(c)));
    },
    [ask, attempt],
  );
  const remove = (yes: boolean) => {
    removing?.done(yes);
    setRemoving(null);
  };
  const decide = (yes: boolean) => {
    if (!waiting) return;
    setWaiting(null);
    if (yes) void waiting.attempt(true).then(waiting.done, () => waiting.done(undefined));
    else waiting.done(undefined);
  };
  const words = asks[waiting?.kind ?? "unties"];
  const dialog = removing ? (
    <Dialog open onOpenChange={(open) => !open && remove(false)} title={removing.title} about={removing.about}>
      <div className="flex gap-3">
        <button className="pill-act" autoFocus onClick={() => remove(false)}>
          Keep it
        </button>
        <button className="pill h-8" onClick={() => remove(true)}>
          Remove it
        </button>
      </div>
    </Dialog>
  ) : (
    <Dialog open={waiting !== null} onOpenChange={(open) => !open && decide(false)} title={words.title} about={words.about}>
      <p className="mb-4">{waiting?.why}.</p>
      <div className="flex gap-3">
        <button className="pill-act" autoFocus onClick={() => decide(false)}>
          {words.no}
        </button>
        <button className="pill h-8" onClick={() => decide(true)}>
          {words.yes}
        </button>
      </div>
    </Dialog>
  );
  return { ask, doIt, dialog };
}
