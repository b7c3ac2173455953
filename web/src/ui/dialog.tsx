import { X } from "lucide-react";
import { Dialog as Radix } from "radix-ui";
import type { KeyboardEvent, ReactNode } from "react";

import { inNotices } from "./notices";
import { back } from "./focus";

/** What a dialog is for is done from anywhere in it, where it is one thing. */
function mainButton(e: KeyboardEvent<HTMLElement>) {
  if (e.key !== "Enter" || !(e.ctrlKey || e.metaKey) || e.defaultPrevented) return;
  const main = e.currentTarget.querySelectorAll<HTMLButtonElement>("button.pill-act:not(:disabled)");
  if (main.length !== 1) return;
  e.preventDefault();
  main[0]!.click();
}

/** A dialog with a title, a sentence that says what it is for, and its contents. */
export function Dialog(p: {
  open: boolean;
  onOpenChange: (open: boolean) => void;
  title: string;
  about: string;
  wide?: boolean | "huge";
  /** Whether Escape means something inside, as while a key is waited for. */
  holds?: () => boolean;
  children: ReactNode;
}) {
  return (
    <Radix.Root open={p.open} onOpenChange={p.onOpenChange}>
      <Radix.Portal>
        <Radix.Overlay className="fixed inset-0 z-40 bg-[#22263a]/40" />
        <Radix.Content
          onCloseAutoFocus={back}
          onKeyDown={mainButton}
          onInteractOutside={(e) => inNotices(e.target) && e.preventDefault()}
          onEscapeKeyDown={(e) => p.holds?.() && e.preventDefault()}
          className={`card fixed left-1/2 top-1/2 z-50 flex max-h-[86vh] max-w-[94vw] -translate-x-1/2 -translate-y-1/2 flex-col
            ${p.wide === "huge" ? "w-[1180px]" : p.wide ? "w-[860px]" : "w-[560px]"}`}
        >
          <div className="flex items-start gap-4 border-b border-line px-5 py-3.5">
            <div className="grow">
              <Radix.Title className="text-[17px] font-bold">{p.title}</Radix.Title>
              <Radix.Description className="mt-0.5 text-[13px] text-muted">{p.about}</Radix.Description>
            </div>
            <Radix.Close
              className="cursor-pointer rounded p-1 text-muted hover:text-ink"
              aria-label="Close"
              title="Close (Escape). Ctrl Enter presses the main button."
            >
              <X size={18} />
            </Radix.Close>
          </div>
          <div className="min-h-0 grow overflow-auto px-5 py-4">{p.children}</div>
        </Radix.Content>
      </Radix.Portal>
    </Radix.Root>
  );
}
