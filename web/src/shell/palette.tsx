import { useState } from "react";
import { useMatch, useNavigate } from "react-router";

import { useProductions, useReels } from "../api/hooks";
import { namedCommands } from "../ui/commands";
import { Dialog } from "../ui/dialog";
import type { ActionID } from "../ui/actions";
import { tradeWords } from "../ui/tradewords";
import { available, keyOf, keySign, perform } from "../ui/keys";

/** also is what else it is called. */
type Entry = { name: string; about: string; also?: string; key: string; run: () => void };

/** Whether all words that were typed are somewhere in a text, in any order. */
export const finds = (text: string, typed: string) =>
  typed
    .toLowerCase()
    .split(/\s+/)
    .every((w) => text.toLowerCase().includes(w));

/** Those that were meant: first what is called so, then what the trade calls so. */
export function foundOf<E extends Pick<Entry, "name" | "about" | "also">>(all: E[], typed: string): E[] {
  const named = (e: E) => finds(`${e.name} ${e.about}`, typed);
  return [...all.filter(named), ...all.filter((e) => !named(e) && finds(`${e.name} ${e.about} ${e.also ?? ""}`, typed))];
}

/** Every command that there is at present, and every place to go to, found by name. */
export function Palette({ onClose }: { onClose: () => void }) {
  return (
    <Dialog open onOpenChange={onClose} title="Commands" about="Type a few letters of what you want to do, or of where you want to go.">
      <Entries onDone={onClose} />
    </Dialog>
  );
}

function useEntries(): Entry[] {
  const go = useNavigate();
  const here = useMatch("/p/:production/*")?.params.production ?? "";
  const productions = useProductions();
  const reels = useReels(here);
  const to = (name: string, about: string, path: string): Entry => ({ name, about, key: "", run: () => void go(path) });
  const rooms = here
    ? [
        to("Takes", "room", `/p/${here}/takes`),
        to("Sync", "room", `/p/${here}/sync`),
        to("Gauge: files", "room", `/p/${here}/gauge/files`),
        to("Work", "what is under way", `/p/${here}/queue`),
      ]
    : [];
  const ofReels = (reels.data ?? []).flatMap((r) =>
    (["Loom", "Gauge", "Print"] as const).map((room) => to(`${r.name} in ${room}`, "reel", `/p/${here}/${room.toLowerCase()}/${r.id}`)),
  );
  const all = (productions.data ?? []).map((p) => to(p.name, "production", `/p/${p.id}`));
  const commands = available()
    .filter((a) => a.id !== "commands")
    .map((a): Entry => {
      const id = a.id as ActionID;
      return { name: a.does, about: "", also: tradeWords[id], key: keySign(keyOf(id)), run: () => perform(id) };
    });
  const named = namedCommands().map((c): Entry => ({ ...c, key: "" }));
  return [...commands, ...named, ...rooms, ...ofReels, ...all, to("All productions", "first page", "/")];
}

function Entries({ onDone }: { onDone: () => void }) {
  const all = useEntries();
  const [typed, setTyped] = useState("");
  const [at, setAt] = useState(0);
  const found = foundOf(all, typed);
  const chosen = Math.min(at, found.length - 1);
  const run = (e: Entry | undefined) => {
    if (!e) return;
    onDone();
    setTimeout(e.run); // when the focus is back in the room
  };
  return (
    <>
      <input
        className="field w-full"
        autoFocus // else the dialog gives the focus to its first button
        placeholder="cut, fade, gauge…"
        aria-label="Find a command"
        role="combobox"
        aria-expanded
        aria-controls="commands"
        aria-activedescendant={found.length > 0 ? `command ${chosen}`.replace(" ", "-") : undefined}
        value={typed}
        onChange={(e) => {
          setTyped(e.target.value);
          setAt(0);
        }}
        onKeyDown={(e) => {
          if (e.key === "ArrowDown") setAt(Math.min(found.length - 1, chosen + 1));
          else if (e.key === "ArrowUp") setAt(Math.max(0, chosen - 1));
          else if (e.key === "Enter") run(found[chosen]);
          else return;
          e.preventDefault();
        }}
      />
      <div id="commands" role="listbox" aria-label="Commands" className="mt-2 h-[46vh] overflow-auto">
        {found.map((e, i) => (
          // biome-ignore lint/a11y/useKeyWithClickEvents: the field above has the keys
          <div
            key={`${e.about} ${e.name}`}
            id={`command-${i}`}
            ref={(el) => {
              if (i === chosen) el?.scrollIntoView?.({ block: "nearest" });
            }}
            role="option"
            tabIndex={-1}
            aria-selected={i === chosen}
            className={`flex cursor-pointer items-center gap-3 rounded px-2 py-1.5 ${i === chosen ? "bg-band" : "hover:bg-band"}`}
            onClick={() => run(e)}
          >
            <span className="min-w-0 grow truncate">{e.name}</span>
            {e.about && <span className="shrink-0 text-[12px] text-muted">{e.about}</span>}
            {e.key && <kbd className="tc shrink-0 rounded border border-line px-1.5 text-[12px]">{e.key}</kbd>}
          </div>
        ))}
        {found.length === 0 && <p className="px-2 py-1.5 text-muted">No command and no place is called so.</p>}
      </div>
    </>
  );
}
