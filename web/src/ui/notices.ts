// Notices: what went wrong, or was done, told where the user is.
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

/** Whether something in the page is part of a notice: pressing it is no reason for a dialog to close. */
export const inNotices = (el: EventTarget | null) => el instanceof Element && el.closest("[data-notices]") !== null;

export const useNotices = () =>
  useSyncExternalStore(
    (f) => {
      listeners.add(f);
      return () => listeners.delete(f);
    },
    () => notices,
  );
