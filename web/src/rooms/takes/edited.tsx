import { Pencil } from "lucide-react";

import { useDraft, type Keep } from "../../ui/draft";

/** A word that is edited where it stands: press it, type, Enter or leave it to keep, Escape to let it be. */
export function Edited(p: {
  value: string;
  label: string;
  empty: string;
  onKeep: Keep;
  className?: string;
  suggestions?: string;
  maxLength?: number;
}) {
  const { draft, begin, field, stands } = useDraft(p.value, p.onKeep);
  if (draft === null) {
    return (
      <button
        ref={stands}
        className={`group flex min-h-6 max-w-full cursor-text items-center gap-1.5 ${p.className ?? ""}`}
        onClick={begin}
        aria-label={`${p.label}: ${p.value || p.empty}`}
      >
        <span className="truncate">{p.value || <span className="font-normal italic text-muted">{p.empty}</span>}</span>
        <Pencil size={12} className="shrink-0 text-muted opacity-0 group-hover:opacity-100 group-focus-visible:opacity-100" />
      </button>
    );
  }
  return (
    <input
      className={`field h-6 w-full min-w-20 px-1.5 ${p.className ?? ""}`}
      autoFocus
      maxLength={p.maxLength ?? 100}
      list={p.suggestions}
      aria-label={p.label}
      {...field}
    />
  );
}
