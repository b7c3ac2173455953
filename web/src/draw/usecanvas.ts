import { useEffect, useLayoutEffect, useRef, type RefObject } from "react";

import { useLight } from "../ui/light";
import { onOverview } from "./overview";
import { onSamples } from "./samples";

/** How often a canvas is painted while waveforms come, in milliseconds: hundreds of them may. */
const arriving = 100;

/** Paints a canvas with every change of what it shows, and again, at most once a frame, when its size has changed or the scroller that it is
 * pinned in was moved, and less often when waveforms have come. */
export function useCanvas(paint: (c: HTMLCanvasElement) => void, again: unknown[], scroller?: RefObject<HTMLElement | null>) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const light = useLight();
  const latest = useRef(paint);
  latest.current = paint;
  // At once, so that it never lags behind the shuttle's line.
  // biome-ignore lint/correctness/useExhaustiveDependencies: whoever paints says what it is painted of
  useLayoutEffect(() => paint(canvas.current!), [...again, light]);
  useEffect(() => {
    let due = 0;
    const run = () => {
      cancelAnimationFrame(due);
      due = requestAnimationFrame(() => canvas.current && latest.current(canvas.current));
    };
    const observer = new ResizeObserver(run);
    observer.observe(canvas.current!);
    let waits = 0;
    let last = 0;
    const arrived = () => {
      waits = 0;
      last = performance.now();
      run();
    };
    const soon = () => {
      if (!waits) waits = window.setTimeout(arrived, Math.max(0, last + arriving - performance.now()));
    };
    const stops = [onOverview(soon), onSamples(soon)];
    const box = scroller?.current;
    box?.addEventListener("scroll", run, { passive: true });
    return () => {
      cancelAnimationFrame(due);
      clearTimeout(waits);
      observer.disconnect();
      stops.forEach((stop) => stop());
      box?.removeEventListener("scroll", run);
    };
  }, [scroller]);
  return canvas;
}
