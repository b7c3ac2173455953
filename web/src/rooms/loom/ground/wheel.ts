import { useEffect, useRef } from "react";

import { zoom } from "./geometry";
import type { Scroll } from "./scroll";

/** Zooms with the wheel and Ctrl, scrolls in time with Shift or sideways. */
export function useWheel(scroll: Scroll) {
  const box = useRef<HTMLDivElement>(null);
  useEffect(() => {
    const el = box.current!;
    const wheel = (e: WheelEvent) => {
      const x = e.clientX - el.getBoundingClientRect().left;
      if (e.ctrlKey || e.metaKey) {
        e.preventDefault();
        scroll.change((v) => zoom(v, Math.exp(Math.max(-60, Math.min(60, e.deltaY)) * 0.006), x));
        return;
      }
      const by = e.shiftKey ? e.deltaY || e.deltaX : e.deltaX;
      if (Math.abs(by) > 0 && (e.shiftKey || Math.abs(e.deltaX) > Math.abs(e.deltaY))) {
        e.preventDefault();
        scroll.change((v) => ({ ...v, left: v.left + by * v.perPixel }));
      }
    };
    el.addEventListener("wheel", wheel, { passive: false });
    return () => el.removeEventListener("wheel", wheel);
  }, [scroll]);
  return box;
}
