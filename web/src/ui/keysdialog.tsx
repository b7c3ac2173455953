import { useState } from "react";

import { Dialog } from "./dialog";
import { actions, keyOf, pressed, resetKeys, setKey, useKeys, type ActionID } from "./keys";
import { tell } from "./notices";

const rooms = { everywhere: "Everywhere", takes: "In Takes", loom: "In the Loom" } as const;

/** Lists every key; pressing one of them waits for another to take its place. */
export function KeysDialog({ open, onOpenChange }: { open: boolean; onOpenChange: (open: boolean) => void }) {
  useKeys();
  const [waiting, setWaiting] = useState<ActionID | null>(null);
  return (
    <Dialog open={open} onOpenChange={onOpenChange} title="Keys" about="Press a key's button, then the key you would rather use. Changes are kept in this browser." wide>
      <div className="grid grid-cols-2 gap-x-10 gap-y-5">
        {Object.entries(rooms).map(([room, title]) => (
          <section key={room} className={room === "loom" ? "row-span-2" : ""}>
            <h3 className="mb-1.5 font-bold">{title}</h3>
            {actions
              .filter((a) => a.room === room)
              .map((a) => (
                <div key={a.id} className="flex items-center justify-between gap-3 border-t border-line py-1.5">
                  <span>{a.does}</span>
                  <button
                    className="pill tc min-w-16 justify-center"
                    onClick={() => setWaiting(a.id)}
                    onBlur={() => setWaiting(null)}
                    onKeyDown={(e) => {
                      if (waiting !== a.id || ["Shift", "Control", "Meta", "Alt", "Tab"].includes(e.key)) return;
                      e.preventDefault();
                      e.stopPropagation();
                      setWaiting(null);
                      if (e.key === "Escape") return;
                      const lost = setKey(a.id, pressed(e.nativeEvent));
                      if (lost) tell(`“${lost}” has no key now.`);
                    }}
                  >
                    {waiting === a.id ? "press a key…" : keyOf(a.id) || "none"}
                  </button>
                </div>
              ))}
          </section>
        ))}
        <div className="self-end">
          <button className="pill" onClick={resetKeys}>
            Back to the keys it came with
          </button>
        </div>
      </div>
    </Dialog>
  );
}
