// Another reel, or the reel as it was, compared with the reel while it plays: as loud as it, and changed over at once.
import { ArrowLeftRight, X } from "lucide-react";
import { DropdownMenu } from "radix-ui";

import type { ReelView } from "../../../api/client";
import { useReels } from "../../../api/hooks";
import { usePlayer } from "../../../listen/player";
import { keyOf, keySign } from "../../../ui/keys";
import { useLoom, useLoomStore, type LoomStore } from "../ground/state";

/** Changes over to the other of two that are compared; false where there are none. */
export function changeOver(store: LoomStore): boolean {
  const { other } = store.getState();
  if (other) store.setState({ other: { ...other, heard: !other.heard } });
  return other !== null;
}

/** Which of the two is heard. */
export function Compared({ view }: { view: ReelView }) {
  const store = useLoomStore();
  const other = useLoom((s) => s.other);
  const louder = usePlayer((s) => (s.playing?.what === "reel" && s.playing.id === view.id ? s.louder : null));
  if (!other) return null;
  const level = louder === null || Math.abs(louder) < 0.05 ? "" : ` ${louder > 0 ? "+" : "−"}${Math.abs(louder).toFixed(1)} dB`;
  const matched = `as loud as the reel is now${level && `: turned by${level}`}`;
  const about = `${other.name}, ${louder === null ? "not matched in loudness: that is being measured, or nothing sounds there" : matched}`;
  return (
    <span
      className="flex min-w-0 shrink items-center rounded-full border border-ink bg-paper p-[2px]"
      role="group"
      aria-label="What is compared"
    >
      {[false, true].map((heard) => (
        <button
          key={String(heard)}
          className={`h-[22px] min-w-0 cursor-pointer truncate rounded-full px-2.5 text-[13px]
            ${other.heard === heard ? "bg-ink text-ground" : "text-muted hover:text-ink"}`}
          aria-pressed={other.heard === heard}
          title={`${heard ? about : "The reel as it is"} (${keySign(keyOf("compare"))} changes over)`}
          onClick={() => store.setState({ other: { ...other, heard } })}
        >
          {heard ? `${other.name}${level}` : "this"}
        </button>
      ))}
      <button
        className="shrink-0 cursor-pointer rounded-full p-0.5 text-muted hover:text-ink"
        aria-label="Compare no longer"
        onClick={() => store.setState({ other: null })}
      >
        <X size={13} />
      </button>
    </span>
  );
}

/** The other reels of the production, in the menu of what is listened to. */
export function CompareWith({ view }: { view: ReelView }) {
  const store = useLoomStore();
  const others = (useReels(view.production).data ?? []).filter((r) => r.id !== view.id);
  return (
    <>
      <DropdownMenu.Separator className="my-1 h-px bg-line" />
      <DropdownMenu.Sub>
        <DropdownMenu.SubTrigger className="menu-item" disabled={others.length === 0}>
          <ArrowLeftRight size={13} /> Compare with another reel ▸{" "}
          <span className="text-muted">{others.length === 0 ? "there is none" : "while it plays"}</span>
        </DropdownMenu.SubTrigger>
        <DropdownMenu.Portal>
          <DropdownMenu.SubContent className="menu max-h-80 overflow-y-auto">
            {others.map((r) => (
              <DropdownMenu.Item
                key={r.id}
                className="menu-item"
                onSelect={() => store.setState({ other: { reel: r.id, heard: false, name: r.name } })}
              >
                {r.name}
              </DropdownMenu.Item>
            ))}
          </DropdownMenu.SubContent>
        </DropdownMenu.Portal>
      </DropdownMenu.Sub>
    </>
  );
}
