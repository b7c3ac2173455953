import { useCallback, useState } from "react";

import { Problem, type ReelView, type Command } from "../../api/client";
import type { useReelEdits } from "../../api/hooks";
import { Dialog } from "../../ui/dialog";

type Waiting = { command: Command; why: string; done: (v: ReelView | undefined) => void };

/** The command as it may put clips out of sync; of several, those that may. */
function untied(c: Command): Command {
  switch (c.kind) {
    case "moveClips":
    case "slipClip":
    case "cutOut":
      return { ...c, command: { ...c.command, untie: true } } as Command;
    case "several":
      return { ...c, command: { commands: c.command.commands.map(untied) } };
  }
  return c;
}

/** Commands that would put clips out of sync say so first: the user decides. */
export function useUntie(edits: ReturnType<typeof useReelEdits>) {
  const [waiting, setWaiting] = useState<Waiting | null>(null);
  const { attempt } = edits;
  const doIt = useCallback(
    (command: Command): Promise<ReelView | undefined> =>
      attempt(command).catch((error: unknown) => {
        if (!(error instanceof Problem) || error.kind !== "unties") return undefined;
        return new Promise<ReelView | undefined>((done) => setWaiting({ command, why: error.message, done }));
      }),
    [attempt],
  );
  const decide = (untie: boolean) => {
    if (!waiting) return;
    setWaiting(null);
    if (untie) void attempt(untied(waiting.command)).then(waiting.done, () => waiting.done(undefined));
    else waiting.done(undefined);
  };
  const dialog = (
    <Dialog open={waiting !== null} onOpenChange={(open) => !open && decide(false)} title="This breaks sync" about="Its offset will stand on the clip, and one key ties it back.">
      <p className="mb-4">{waiting?.why}.</p>
      <div className="flex gap-3">
        <button className="pill-act" autoFocus onClick={() => decide(false)}>
          Leave it in sync
        </button>
        <button className="pill h-8" onClick={() => decide(true)}>
          Do it and untie
        </button>
      </div>
    </Dialog>
  );
  return { doIt, dialog };
}
