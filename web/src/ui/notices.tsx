// Notices: what went wrong, or was done, told where the user is.
import { X } from "lucide-react";
import { useSyncExternalStore } from "react";

type Notice = { id: number; text: string; wrong: boolean };

let notices: Notice[] = [];
let next = 1;
const listeners = new Set<() => void>();

function change(list: Notice[]) {
  notices = list;
  listeners.forEach((f) => f());
}

export function dismiss(id: number) {
  change(notices.filter((n) => n.id !== id));
}

/** Tells the user something. Errors stay until they are put away. */
export function tell(text: string, wrong = false) {
  if (notices.some((n) => n.text === text)) return;
  const id = next++;
  change([...notices, { id, text, wrong }].slice(-4));
  if (!wrong) setTimeout(() => dismiss(id), 4000);
}

export function tellError(error: unknown) {
  tell(error instanceof Error ? error.message : String(error), true);
}

export function Notices() {
  const list = useSyncExternalStore(
    (f) => {
      listeners.add(f);
      return () => listeners.delete(f);
    },
    () => notices,
  );
  return (
    <div
      className="pointer-events-none fixed bottom-5 left-1/2 z-50 flex w-[560px] max-w-[90vw] -translate-x-1/2 flex-col gap-2"
      role="status"
      aria-live="polite"
    >
      {list.map((n) => (
        <div
          key={n.id}
          className={`card pointer-events-auto flex items-start gap-3 px-4 py-2.5 ${n.wrong ? "border-l-4 border-l-wrong" : ""}`}
        >
          <span className="grow">{n.text}</span>
          <button className="cursor-pointer rounded p-0.5 text-muted hover:text-ink" aria-label="Put away" onClick={() => dismiss(n.id)}>
            <X size={16} />
          </button>
        </div>
      ))}
    </div>
  );
}
