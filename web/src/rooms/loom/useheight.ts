import { useLayoutEffect, useState, type RefObject } from "react";

/** The height of an element, as it changes. */
export function useHeight(ref: RefObject<HTMLElement | null>): number {
  const [height, setHeight] = useState(400);
  useLayoutEffect(() => {
    const box = ref.current;
    if (!box) return;
    setHeight(box.clientHeight);
    const watch = new ResizeObserver(() => setHeight(box.clientHeight));
    watch.observe(box);
    return () => watch.disconnect();
  }, [ref]);
  return height;
}
