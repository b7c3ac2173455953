import type { ReactNode } from "react";

/** A small button with a sign on it, and its meaning in words. */
export function Small(p: { label: string; onClick: () => void; children: ReactNode }) {
  return (
    <button className="cursor-pointer rounded p-1 text-muted hover:text-ink" aria-label={p.label} title={p.label} onClick={p.onClick}>
      {p.children}
    </button>
  );
}
