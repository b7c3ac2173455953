import { useCallback, useState } from "react";

/** State that this browser remembers under a name. */
export function useRemembered<T>(name: string, first: T): [T, (next: T | ((now: T) => T)) => void] {
  const [value, setValue] = useState<T>(() => {
    try {
      const kept = localStorage.getItem(name);
      return kept === null ? first : (JSON.parse(kept) as T);
    } catch {
      return first;
    }
  });
  const set = useCallback(
    (next: T | ((now: T) => T)) =>
      setValue((now) => {
        const to = typeof next === "function" ? (next as (now: T) => T)(now) : next;
        localStorage.setItem(name, JSON.stringify(to));
        return to;
      }),
    [name],
  );
  return [value, set];
}

const lookedAt = new Map<string, unknown>();

/** State that is still there when one looks at the same thing again, until the page is loaded anew. */
export function useLookedAt<T>(name: string, first: T): [T, (next: T | ((now: T) => T)) => void] {
  const [, again] = useState(0);
  const read = () => (lookedAt.has(name) ? (lookedAt.get(name) as T) : first);
  const set = (next: T | ((now: T) => T)) => {
    lookedAt.set(name, typeof next === "function" ? (next as (now: T) => T)(read()) : next);
    again((n) => n + 1);
  };
  return [read(), set];
}
