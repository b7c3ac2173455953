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
