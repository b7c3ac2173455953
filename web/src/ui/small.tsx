import type { ReactNode } from "react";

/** A small button with a sign on it, and its meaning in words. */
export function Small(p: { label: string; disabled?: boolean; onClick: () => void; children: ReactNode }) {
  return (
    <button
      className="inline-flex min-h-6 min-w-6 shrink-0 cursor-pointer items-center justify-center rounded p-1 text-muted hover:text-ink
        disabled:cursor-default disabled:opacity-30"
      disabled={p.disabled}
      aria-label={p.label}
      title={p.label}
      onClick={p.onClick}
    >
      {p.children}
    </button>
  );
}
