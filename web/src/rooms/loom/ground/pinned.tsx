import type { ReactNode, RefObject } from "react";

import { useSize } from "../../../ui/size";

/** Stays in view while what it lies in is scrolled, as high as the view: a canvas of all rows would be too large. */
export function Pinned({ scroller, children }: { scroller: RefObject<HTMLElement | null>; children: ReactNode }) {
  const { height } = useSize(scroller, { width: 0, height: 0 });
  return (
    <div className="pointer-events-none sticky top-0 w-full overflow-hidden" style={{ height }}>
      {children}
    </div>
  );
}
