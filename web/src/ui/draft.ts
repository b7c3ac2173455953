import { createContext, useContext, useLayoutEffect, useRef, useState, type ChangeEvent, type FocusEvent, type KeyboardEvent } from "react";

/** What keys go to, and goes on from. */
const keyed = "[role=gridcell], [role=option], [role=slider], [role=treeitem]";

/**
 * Leaves a field for where one was: a crossing, an entry, a handle; else for the page, where keys mean what they mean everywhere, and Tab goes on
 * behind the field. In a dialog one stays.
 */
export function leave(field: HTMLElement, before: Element | null) {
  if (field.closest("[role=dialog], [role=menu]")) return;
  if (before instanceof HTMLElement && before.isConnected && before.matches(keyed)) before.focus({ preventScroll: true });
  else field.blur();
}

/** Takes what was typed; a sentence says why it can't be. */
export type Keep = (text: string) => unknown;

/** What the fields inside are of: fields stay where they are when another object is shown in them, and what was typed is of the one before. */
export const FieldsOf = createContext("");

/** What somebody types, and where it goes. */
type Draft = { text: string; value: string; keep: Keep };

/**
 * What is typed into a field before it is kept: by Enter or by leaving it; Escape lets it be. draft is null while nothing
 * is typed. A draft belongs to the object whose field it was begun in: also where the field is taken away, or shows
 * another object, it goes where it was meant to. Where onKeep gives a sentence, the text stays, and refused says why.
 */
export function useDraft(value: string, onKeep: Keep) {
  const [draft, setDraft] = useState<Draft | null>(null);
  const [refused, setRefused] = useState("");
  const now = useRef<Draft | null>(null);
  const of = useContext(FieldsOf);
  const by = useRef(false);
  const before = useRef<Element | null>(null); // what had the focus before the field
  const put = (d: Draft | null) => {
    now.current = d;
    setDraft(d);
    setRefused("");
  };
  const keep = () => {
    const d = now.current;
    const why = d && d.text.trim() !== d.value ? d.keep(d.text.trim()) : undefined;
    if (typeof why === "string") setRefused(why);
    else put(null);
    return typeof why !== "string";
  };
  // biome-ignore lint/correctness/useExhaustiveDependencies: when they are of something else, and when the field goes
  useLayoutEffect(
    () => () => {
      const d = now.current;
      if (!d) return;
      put(null);
      if (d.text.trim() !== d.value) d.keep(d.text.trim());
    },
    [of],
  );
  return {
    /** For what stands in the field's place when nothing is typed: it takes the focus back that the field had when a key ended it. */
    stands: (el: HTMLElement | null) => {
      if (by.current) el?.focus();
      by.current = false;
    },
    draft: draft?.text ?? null,
    refused,
    begin: () => put({ text: value, value, keep: onKeep }),
    field: {
      value: draft?.text ?? value,
      "aria-invalid": refused !== "" || undefined,
      onFocus: (e: FocusEvent<HTMLInputElement>) => {
        before.current = e.relatedTarget;
        e.target.select();
      },
      onChange: (e: ChangeEvent<HTMLInputElement>) => put({ value, keep: onKeep, ...now.current, text: e.target.value }),
      onBlur: keep,
      onKeyDown: (e: KeyboardEvent<HTMLInputElement>) => {
        if (e.key !== "Enter" && e.key !== "Escape") return;
        e.preventDefault();
        by.current = true;
        if (e.key === "Escape") put(null);
        else if (!keep()) return; // it stays to be put right
        leave(e.currentTarget, before.current);
      },
    },
  };
}
