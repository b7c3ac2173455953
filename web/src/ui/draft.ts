import { useState, type ChangeEvent, type FocusEvent, type KeyboardEvent } from "react";

/** What is typed into a field before it is kept: by Enter or by leaving it; Escape lets it be. draft is null while nothing is typed. */
export function useDraft(value: string, onKeep: (text: string) => void) {
  const [draft, setDraft] = useState<string | null>(null);
  const keep = () => {
    if (draft !== null && draft.trim() !== value) onKeep(draft.trim());
    setDraft(null);
  };
  return {
    draft,
    begin: () => setDraft(value),
    field: {
      value: draft ?? value,
      onFocus: (e: FocusEvent<HTMLInputElement>) => e.target.select(),
      onChange: (e: ChangeEvent<HTMLInputElement>) => setDraft(e.target.value),
      onBlur: keep,
      onKeyDown: (e: KeyboardEvent<HTMLInputElement>) => {
        if (e.key === "Enter") e.currentTarget.blur(); // which keeps it, once
        if (e.key === "Escape") setDraft(null);
      },
    },
  };
}
