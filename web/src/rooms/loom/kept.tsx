import { useState } from "react";

/** A text field that is kept when it is left or Enter is pressed, and put back by Escape. */
export function Kept(p: { label: string; value: string; onKeep: (text: string) => void; className?: string; placeholder?: string }) {
  const [draft, setDraft] = useState<string | null>(null);
  const keep = () => {
    if (draft !== null && draft.trim() !== p.value) p.onKeep(draft.trim());
    setDraft(null);
  };
  return (
    <input
      className={`field h-7 ${p.className ?? ""}`}
      aria-label={p.label}
      placeholder={p.placeholder}
      value={draft ?? p.value}
      onFocus={(e) => e.target.select()}
      onChange={(e) => setDraft(e.target.value)}
      onBlur={keep}
      onKeyDown={(e) => {
        if (e.key === "Enter") e.currentTarget.blur(); // which keeps it, once
        if (e.key === "Escape") setDraft(null);
      }}
    />
  );
}
