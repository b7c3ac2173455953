// What can be done at present that has no key of its own, since how many there are follows from what there is: to choose this spec, to go to that reel.
import { useEffect, useRef } from "react";

export type Named = { name: string; about: string; run: () => void };

const present = new Set<{ current: Named[] }>();

export const namedCommands = (): Named[] => [...present].flatMap((p) => p.current);

/** Offers these by their names while the component is there. */
export function useCommands(list: Named[]) {
  const mine = useRef(list);
  mine.current = list;
  useEffect(() => {
    present.add(mine);
    return () => {
      present.delete(mine);
    };
  }, []);
}
