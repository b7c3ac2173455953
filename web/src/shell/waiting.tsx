import { useEffect, useState, useSyncExternalStore } from "react";
import { useQueryClient } from "@tanstack/react-query";

import type { Waiting, WaitingErrand } from "../ahead/edits";
import { refusalOf } from "../ahead/errands";
import { hand } from "../ahead/hand";
import { newKey } from "../ahead/key";
import { allowed } from "../api/allowed";
import { author, type Command, type ReelView } from "../api/client";
import { errandName } from "../api/errands";
import { reelEdits } from "../api/hooks";
import { keysOf } from "../api/keys";
import { askOfMet } from "../api/met";
import { Dialog } from "../ui/dialog";
import { tell } from "../ui/notices";
import { dayAndTime } from "../ui/when";
import { many } from "../ui/words";

/** How long an edit may wait before it is said, in milliseconds: nobody is told of what takes no time. */
const unsaid = 1500;

/** What the edit is called: as the history would have it, or by what it asked for. */
const nameOf = (w: Waiting) => w.name || (w.kind === "other" ? w.path : w.kind === "command" ? w.body.kind : w.kind);

/** Edits that wait for the server, and those that it did not make. */
export function WaitingEdits() {
  const { count, since, refused, undone } = useSyncExternalStore(hand.subscribe, hand.waiting);
  const [late, setLate] = useState(false);
  const [open, setOpen] = useState(false);
  useEffect(() => {
    const left = since + unsaid - Date.now();
    setLate(count > 0 && left <= 0);
    if (count === 0 || left <= 0) return;
    const soon = setTimeout(() => setLate(true), left);
    return () => clearTimeout(soon);
  }, [count, since]);
  useMetLater(refused);
  const listed = refused.filter((w) => !isMet(w));
  const unmade = listed.length + undone.length;
  return (
    <>
      <span className="sr-only" data-waits={count} />
      {late && count > 0 && (
        <span role="status" title="They are kept in this browser, and go to the server as soon as it answers. Nothing is to be done.">
          {many(count, "edit waits", "edits wait")} for the server
        </span>
      )}
      {unmade > 0 && (
        <button className="min-h-6 cursor-pointer text-wrong hover:underline" onClick={() => setOpen(true)}>
          {many(unmade, "edit was", "edits were")} not made
        </button>
      )}
      <Dialog
        open={open && unmade > 0}
        onOpenChange={setOpen}
        title="What the server did not make"
        about="Somebody else changed the same in the meantime, or something stood in its way. What was on the screen has been taken back."
      >
        <ul className="flex flex-col gap-3">
          {listed.map((w) => (
            <Refused key={w.key} of={w} />
          ))}
          {undone.map((e) => (
            <Undone key={e.key} of={e} />
          ))}
        </ul>
      </Dialog>
    </>
  );
}

function Refused({ of }: { of: Waiting }) {
  const queries = useQueryClient();
  const asks = of.refused?.kind === "unties" || of.refused?.kind === "loses";
  const again = async () => {
    const view = queries.getQueryData<ReelView>(keysOf.reel(of.reel));
    const body = asks && of.kind === "command" ? allowed(of.body as Command) : of.body;
    const { refused } = await hand.do({ ...of, body, seen: view?.revision ?? of.seen, author: author(), page: hand.page } as Waiting, {});
    if (refused) return tell(refused.sentence, true);
    hand.letGo(of.key);
  };
  return <NotMade of={of} name={nameOf(of)} again={asks ? "Do it all the same" : "Do it again"} onAgain={() => void again()} />;
}

function Undone({ of }: { of: WaitingErrand }) {
  const again = async () => {
    const { method, path, body, type } = of;
    const answer = await hand.run({ method, path, body, type, author: author(), key: newKey() });
    if (answer.status >= 400) return tell(refusalOf(answer).sentence, true);
    hand.letGo(of.key);
  };
  const name = errandName(of.method, of.path.split("?")[0]!) ?? "something";
  return <NotMade of={of} name={name} again="Do it again" onAgain={() => void again()} />;
}

/** One thing that was not made: what it was, why, and what can be done about it. */
function NotMade(p: { of: Waiting | WaitingErrand; name: string; again: string; onAgain: () => void }) {
  return (
    <li className="flex items-start gap-4 border-b border-line pb-3 last:border-0">
      <span className="grow">
        <b>{p.name}</b>
        <span className="text-muted"> · {dayAndTime(new Date(p.of.made).toISOString())}</span>
        <br />
        {p.of.refused?.sentence}.
      </span>
      <button className="pill h-8 shrink-0" onClick={p.onAgain}>
        {p.again}
      </button>
      <button className="pill h-8 shrink-0" onClick={() => hand.letGo(p.of.key)}>
        Let it go
      </button>
    </li>
  );
}

const isMet = (w: Waiting) => w.refused?.kind === "met" && w.page === hand.page;

/** A step that was shown as taken back, and that the server found somebody else's in the way of: it is asked about as if it had said so at once. */
function useMetLater(refused: Waiting[]) {
  const queries = useQueryClient();
  const first = refused.find(isMet);
  // biome-ignore lint/correctness/useExhaustiveDependencies: once for each
  useEffect(() => {
    if (!first?.refused) return;
    const way = first.path === "redo" ? "redo" : "undo";
    const edits = reelEdits(first.reel, queries);
    hand.letGo(first.key);
    askOfMet(way, { message: first.refused.sentence, met: first.refused }, (how) => void edits[way](how));
  }, [first?.key]);
}
