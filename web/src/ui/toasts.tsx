import { X } from "lucide-react";
import { Toast } from "radix-ui";

import { dismiss, useNotices } from "./notices";

/** What is told, one under the other. */
export function Toasts() {
  const list = useNotices();
  return (
    <Toast.Provider label="Notice" duration={Infinity} swipeDirection="down">
      {list.map((n) => (
        <Toast.Root
          key={n.id}
          type={n.wrong ? "foreground" : "background"}
          onOpenChange={(open) => open || dismiss(n.id)}
          onEscapeKeyDown={(e) => e.preventDefault()} // Escape is the room's, or the dialog's
          className={`card pointer-events-auto flex items-start gap-3 px-4 py-2.5 ${n.wrong ? "border-l-4 border-l-wrong" : ""}`}
        >
          <Toast.Description className="grow">{n.text}</Toast.Description>
          <Toast.Close
            className="flex h-6 w-6 shrink-0 cursor-pointer items-center justify-center rounded text-muted hover:text-ink"
            aria-label="Put away"
          >
            <X size={16} />
          </Toast.Close>
        </Toast.Root>
      ))}
      <Toast.Viewport
        data-notices
        label="Notices ({hotkey})"
        className="pointer-events-none fixed bottom-11 left-1/2 z-[60] flex w-[560px] max-w-[90vw] -translate-x-1/2 flex-col gap-2"
      />
    </Toast.Provider>
  );
}
