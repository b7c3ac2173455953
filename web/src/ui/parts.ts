import { useRef } from "react";

/** The same object as long as some of its parts are the same, whatever else of it has become: what is drawn of it stays. */
export function useParts<T extends object>(now: T, ...parts: (keyof T)[]): T {
  const kept = useRef(now);
  if (parts.some((p) => kept.current[p] !== now[p])) kept.current = now;
  return kept.current;
}

/** The same object as long as all of it is the same but some of its parts. */
export function useAllBut<T extends object>(now: T, ...but: (keyof T)[]): T {
  return useParts(now, ...(Object.keys(now) as (keyof T)[]).filter((p) => !but.includes(p)));
}

/** What is as it was, part by part, is the very same as before; so is the list, where all in it is. */
export function useKept<T extends object>(now: T[]): T[] {
  const was = useRef(now);
  const alike = (a: T | undefined, b: T) =>
    a && Object.keys(b).length === Object.keys(a).length && (Object.keys(b) as (keyof T)[]).every((k) => a[k] === b[k]);
  was.current = useSame(now.map((x, i) => (alike(was.current[i], x) ? was.current[i]! : x)));
  return was.current;
}

/** The same list as long as it has the same in it, one by one. */
export function useSame<T>(now: T[]): T[] {
  const kept = useRef(now);
  if (kept.current.length !== now.length || now.some((x, i) => x !== kept.current[i])) kept.current = now;
  return kept.current;
}
