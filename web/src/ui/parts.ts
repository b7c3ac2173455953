import { useRef } from "react";

/** The same object as long as some of its parts are the same, whatever else of it has become: what is drawn of it stays. */
export function useParts<T extends object>(now: T, ...parts: (keyof T)[]): T {
  const kept = useRef(now);
  if (parts.some((p) => kept.current[p] !== now[p])) kept.current = now;
  return kept.current;
}
