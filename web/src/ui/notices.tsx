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

/** Whether something is, or was till it was put away, part of a notice: pressing it is no reason for a dialog to close. */
export const inNotices = (el: EventTarget | null) => el instanceof Element && el.closest("[data-notice]") !== null;

/**
 * What is told, one under the other, over whatever is open. It is a live region and no layer of its own: Escape stays with the room, or with
 * the dialog, and a notice that comes while one types takes nothing away.
 */
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
      className="pointer-events-none fixed bottom-11 left-1/2 z-[60] flex w-[560px] max-w-[90vw] -translate-x-1/2 flex-col gap-2"
      role="status"
      aria-live="polite"
    >
      {list.map((n) => (
        <div
          key={n.id}
          data-notice
          role={n.wrong ? "alert" : undefined}
          className={`card pointer-events-auto flex items-start gap-3 px-4 py-2.5 ${n.wrong ? "border-l-4 border-l-wrong" : ""}`}
        >
          <span className="grow">{n.text}</span>
          <button
            className="flex h-6 w-6 shrink-0 cursor-pointer items-center justify-center rounded text-muted hover:text-ink"
            aria-label="Put away"
            onClick={() => dismiss(n.id)}
          >
            <X size={16} />
          </button>
        </div>
      ))}
    </div>
  );
}
