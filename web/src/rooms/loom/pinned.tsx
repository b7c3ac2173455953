import { useEffect, useState, type ReactNode, type RefObject } from "react";

/** Stays in view while what it lies in is scrolled, as high as the view: a canvas of all rows would be too large. */
export function Pinned({ scroller, children }: { scroller: RefObject<HTMLElement | null>; children: ReactNode }) {
  const [height, setHeight] = useState(0);
  useEffect(() => {
    const measure = () => setHeight(scroller.current?.clientHeight ?? 0);
    measure();
    const o = new ResizeObserver(measure);
    o.observe(scroller.current!);
    return () => o.disconnect();
  }, [scroller]);
  return (
    <div className="pointer-events-none sticky top-0 w-full overflow-hidden" style={{ height }}>
      {children}
    </div>
  );
}
