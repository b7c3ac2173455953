import { useState } from "react";

import { Dialog } from "../ui/dialog";
import { words } from "../ui/explained";
import { actions, type ActionID } from "../ui/actions";
import { keyOf, keySign, pressed, readKeys, resetKeys, savedKeys, setKey, useKeys } from "../ui/keys";
import { tell } from "../ui/notices";

const rooms = {
  everywhere: "Everywhere",
  takes: "In Takes",
  sync: "In Sync",
  gauge: "In Gauge",
  print: "In Print",
  loom: "In the Loom: moving and listening",
  cutting: "In the Loom: cutting",
} as const;

/** Lists every key; pressing one of them waits for another to take its place. */
export function KeysDialog({ open, onOpenChange }: { open: boolean; onOpenChange: (open: boolean) => void }) {
  useKeys();
  const [waiting, setWaiting] = useState<ActionID | null>(null);
  const section = (room: keyof typeof rooms) => (
    <section>
      <h3 className="mb-1.5 font-bold">{rooms[room]}</h3>
      {actions
        .filter((a) => a.room === room)
        .map((a) => (
          <div key={a.id} className="flex items-center justify-between gap-3 border-t border-line py-1 text-[13px]">
            <span>{a.does}</span>
            <button
              className="pill tc min-w-14 justify-center"
              aria-label={`Key for “${a.does}”: ${keySign(keyOf(a.id)) || "none"}`}
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
              {waiting === a.id ? "press a key…" : keySign(keyOf(a.id)) || "none"}
            </button>
          </div>
        ))}
    </section>
  );
  return (
    <Dialog
      open={open}
      onOpenChange={onOpenChange}
      title="Keys and words"
      about="Press a key's button, then the key you would rather use. Changes are kept in this browser."
      wide="huge"
      holds={() => waiting !== null}
    >
      <h3 className="mb-1.5 font-bold">Our words</h3>
      <dl className="mb-6 grid grid-cols-[repeat(auto-fill,minmax(320px,1fr))] gap-x-8 text-[13px]">
        {Object.entries(words).map(([word, means]) => (
          <div key={word} className="flex gap-3 border-t border-line py-1">
            <dt className="w-24 shrink-0 font-semibold">{word}</dt>
            <dd className="text-muted">{means}</dd>
          </div>
        ))}
      </dl>
      <div className="flex gap-8 max-[900px]:flex-col">
        <div className="flex grow basis-0 flex-col gap-5">
          {section("everywhere")}
          {section("takes")}
          {section("sync")}
          {section("gauge")}
          {section("print")}
          <button className="pill self-start" onClick={resetKeys}>
            Back to the keys it came with
          </button>
          <KeysFile />
        </div>
        <div className="grow basis-0">{section("loom")}</div>
        <div className="grow basis-0">{section("cutting")}</div>
      </div>
    </Dialog>
  );
}

/** Keys that were changed go along to another browser as a file. */
function KeysFile() {
  const take = async (file: File | undefined) => {
    if (!file) return;
    const wrong = readKeys(await file.text());
    tell(wrong ?? `The keys of ${file.name} are in use.`, wrong !== null);
  };
  return (
    <div className="flex flex-wrap gap-2">
      <a className="pill" href={`data:application/json,${encodeURIComponent(savedKeys())}`} download="Keys.json">
        Save your keys as a file
      </a>
      <label className="pill cursor-pointer focus-within:outline-2 focus-within:outline-zest">
        Take keys from a file…
        <input
          type="file"
          accept=".json"
          className="sr-only"
          onChange={(e) => void take(e.target.files?.[0]).then(() => (e.target.value = ""))}
        />
      </label>
    </div>
  );
}
