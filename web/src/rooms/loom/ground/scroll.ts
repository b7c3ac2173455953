// What of time is in view, apart from the room's other state: it changes with every turn of the wheel, and only what is
// drawn in time is drawn again for it.
import { useSyncExternalStore } from "react";

import type { TimeView } from "./geometry";

/** Holds what is in view and tells those who draw it, once a frame. */
export class Scroll {
  #chosen: TimeView | null = null; // null while the whole reel is in view
  #whole: TimeView;
  #exact: TimeView; // what the whole is now; #whole stays while an edit changes it only a little
  #width = 0;
  #told: TimeView;
  #listeners = new Set<() => void>();
  #due = 0;

  constructor(whole: TimeView) {
    this.#whole = this.#exact = this.#told = whole;
  }

  /** As it is now, though it may not have been drawn yet. */
  now = (): TimeView => this.#chosen ?? this.#whole;

  /** As it was last told. */
  told = (): TimeView => this.#told;

  /** What the whole reel is, in a view of that width. An edit that still fits does not make everything shift under the hand. */
  fit(whole: TimeView, width: number) {
    const end = (v: TimeView) => v.left + v.perPixel * width;
    const fits =
      width === this.#width &&
      whole.left >= this.#whole.left &&
      end(whole) <= end(this.#whole) &&
      whole.perPixel > this.#whole.perPixel * 0.6;
    this.#exact = whole;
    this.#width = width;
    if (fits) return;
    this.#whole = whole;
    this.#tell();
  }

  change = (change: (v: TimeView) => TimeView) => {
    this.#chosen = change(this.now());
    if (this.#due === 0) this.#due = requestAnimationFrame(this.#tell);
  };

  showAll = () => {
    this.#chosen = null;
    this.#whole = this.#exact;
    this.#tell();
  };

  subscribe = (listener: () => void) => {
    this.#listeners.add(listener);
    return () => this.#listeners.delete(listener);
  };

  #tell = () => {
    cancelAnimationFrame(this.#due);
    this.#due = 0;
    this.#told = this.now();
    this.#listeners.forEach((f) => f());
  };
}

export const useScroll = (s: Scroll): TimeView => useSyncExternalStore(s.subscribe, s.told);
