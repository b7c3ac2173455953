import { useEffect, useState, type RefObject } from "react";

/** The inner size of an element in pixels, as it changes; as given until the element is there, which may be a parent of who asks. */
export function useSize(ref: RefObject<HTMLElement | null>, first: { width: number; height: number }): { width: number; height: number } {
  const [size, setSize] = useState(first);
  useEffect(() => {
    const box = ref.current;
    if (!box) return;
    const measure = () =>
      setSize((was) =>
        was.width === box.clientWidth && was.height === box.clientHeight ? was : { width: box.clientWidth, height: box.clientHeight },
      );
    measure();
    const watch = new ResizeObserver(measure);
    watch.observe(box);
    return () => watch.disconnect();
  }, [ref]);
  return size;
}
