import { Speaker } from "lucide-react";
import { Popover } from "radix-ui";
import { useEffect, useState } from "react";

import { speakerLabels, useOutput, usualSpeakers, withSpeaker } from "../listen/output";
import { player } from "../listen/player";
import { useActions } from "../ui/keys";
import { tellError } from "../ui/notices";
import { back } from "../ui/focus";

/** Which loudspeakers there are, and what each is for. */
export function Loudspeakers() {
  const { speakers } = useOutput();
  const [open, setOpen] = useState(false);
  useActions({ loudspeakers: () => setOpen(true) });
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger
        className={`flex h-6 cursor-pointer items-center gap-1 rounded-full border px-2 text-[12px]
          ${speakers ? "border-ink bg-ink text-ground" : "border-line bg-paper text-muted hover:text-ink"}`}
        aria-label={speakers ? `${speakers.length} loudspeakers` : "Two loudspeakers"}
        title={`What sounds goes to ${speakers ? speakers.map((s, i) => `${i + 1} ${s || "nothing"}`).join(", ") : "two loudspeakers"}`}
      >
        <Speaker size={12} /> {speakers ? speakers.filter(Boolean).length : 2}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          onCloseAutoFocus={back}
          className="card z-50 w-64 p-3 text-[13px]"
          side="top"
          align="end"
          sideOffset={6}
          aria-label="Loudspeakers"
        >
          <Mapping />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

function Mapping() {
  const { speakers } = useOutput();
  const [most, setMost] = useState<number | null>(null);
  useEffect(() => void player.most().then(setMost, tellError), []);
  const set = (list: string[] | null) => void player.toSpeakers(list).catch(tellError);
  return (
    <>
      <p className="font-semibold">Loudspeakers</p>
      {most !== null && most <= 2 && (
        <p className="mt-1 text-muted">
          This browser has two. Sets of more are folded down to them; with an interface of more channels they go out as they are.
        </p>
      )}
      {most !== null && most > 2 && (
        <div className="mt-2 flex gap-2">
          <button className="pill h-7" aria-pressed={!speakers} onClick={() => set(null)}>
            Two
          </button>
          <button className="pill h-7" aria-pressed={!!speakers} onClick={() => set(usualSpeakers(Math.min(32, most)))}>
            All {Math.min(32, most)}
          </button>
        </div>
      )}
      {speakers && (
        <ol className="mt-2 max-h-72 overflow-y-auto">
          {speakers.map((label, i) => (
            <li key={i} className="flex items-center gap-2 border-t border-line py-1">
              <span className="tc w-6 text-right text-muted">{i + 1}</span>
              <select
                className="field h-7 grow"
                aria-label={`Loudspeaker ${i + 1} is`}
                value={label}
                onChange={(e) => set(withSpeaker(speakers, i, e.target.value))}
              >
                <option value="">nothing</option>
                {speakerLabels.map((l) => (
                  <option key={l}>{l}</option>
                ))}
              </select>
            </li>
          ))}
        </ol>
      )}
      {speakers && <p className="mt-2 text-muted">What has no loudspeaker of its own is folded to those that there are.</p>}
    </>
  );
}
