import { useRef, useState } from "react";

type Functions = Record<string, (...a: never[]) => unknown>;

/** The same functions at every rendering, each doing what the latest one given does: what is memoised may hold them. */
export function useStable<T extends Functions>(now: T): T {
  const latest = useRef(now);
  latest.current = now;
  return useState(() => Object.fromEntries(Object.keys(now).map((k) => [k, (...a: never[]) => latest.current[k]!(...a)])) as T)[0];
}
