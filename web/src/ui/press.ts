// What a pointer does from its press to its release, in one place: a press that is let go of where it was is a tap, one that moves drags, one that
// rests holds. What it comes to is always worked out from where the pointer is, never from what was drawn last: a hand may be faster than the screen.
import { useEffect, useMemo, useRef, type PointerEvent } from "react";

/** Where the pointer is, in the element that was pressed and in the window, and which keys are held with it. */
export type At = { x: number; y: number; clientX: number; clientY: number } & Modifiers;
export type Modifiers = { altKey: boolean; ctrlKey: boolean; metaKey: boolean; shiftKey: boolean };

/** What was taken hold of, and what becomes of it. */
export type Grip = {
  /** It has moved to there; also told again where keys are pressed or let go of meanwhile, and while an edge scrolls. */
  drag?: (at: At) => void;
  /** It is let go of there, having moved. */
  drop?: (at: At) => void;
  /** It is let go of where it was taken hold of. */
  tap?: (at: At) => void;
  /** It has rested; what this gives is called when that ends. A rest that moves becomes a drag. */
  rest?: () => () => void;
  /** It is taken back: Escape, or the pointer is needed for something else. */
  cancel?: () => void;
  /** How far it may wander before it counts as moved, in pixels; 4. With 0 it is moved from the press on. */
  slack?: number;
  /** What is scrolled while something is dragged near the edges of a room. */
  edges?: Edges;
};

export type Edges = { room: () => Pick<DOMRect, "left" | "right" | "top" | "bottom">; scroll: (byX: number, byY: number) => void };

/** How long a press must rest before it holds, in milliseconds. */
export const restAfter = 350;
const usualSlack = 4;
/** How near an edge something that is dragged scrolls, and how far in a frame at most, in pixels. */
const edge = 28;
const fastest = 24;

type Event = { clientX: number; clientY: number } & Modifiers;

/** A press that goes on. It knows of no page but the element that was pressed. */
export class Held {
  #from: { x: number; y: number };
  #moved = false;
  #ends: (() => void) | null = null;
  #timer: number | undefined;
  #frame = 0;
  #last: Event;

  constructor(
    private element: Element,
    e: Event,
    readonly grip: Grip,
  ) {
    this.#from = { x: e.clientX, y: e.clientY };
    this.#last = e;
    if (grip.rest)
      this.#timer = window.setTimeout(() => {
        this.#ends = grip.rest!();
      }, restAfter);
    if (grip.slack === 0) this.move(e);
  }

  move(e: Event) {
    this.#last = e;
    if (!this.#has(e)) return;
    this.#still();
    this.grip.drag?.(atOf(this.element, e));
    if (this.grip.edges && this.#frame === 0) this.#frame = requestAnimationFrame(this.#scroll);
  }

  /** Keys are pressed or let go of while the pointer stays. */
  keys(m: Modifiers) {
    this.#last = { ...keysOf(m), clientX: this.#last.clientX, clientY: this.#last.clientY };
    if (this.#moved) this.grip.drag?.(atOf(this.element, this.#last));
  }

  release(e: Event) {
    const moved = this.#has(e); // it may have moved since it was last told so
    const held = this.#ends !== null;
    this.#end();
    if (moved) this.grip.drop?.(atOf(this.element, e));
    else if (!held) this.grip.tap?.(atOf(this.element, e));
  }

  cancel() {
    this.#end();
    this.grip.cancel?.();
  }

  /** Whether it has moved by now. What nothing becomes of when it is dragged never moves. */
  #has(e: Event) {
    const { slack = usualSlack, drag, drop } = this.grip;
    this.#moved ||= !!(drag ?? drop) && Math.hypot(e.clientX - this.#from.x, e.clientY - this.#from.y) >= slack;
    return this.#moved;
  }

  #still() {
    clearTimeout(this.#timer);
    this.#ends?.();
    this.#ends = null;
  }

  #end() {
    this.#still();
    cancelAnimationFrame(this.#frame);
  }

  #scroll = () => {
    this.#frame = 0;
    const { edges } = this.grip;
    if (!edges) return;
    const r = edges.room();
    const x = beyond(this.#last.clientX, r.left, r.right);
    const y = beyond(this.#last.clientY, r.top, r.bottom);
    if (x === 0 && y === 0) return;
    edges.scroll(x, y);
    this.grip.drag?.(atOf(this.element, this.#last));
    this.#frame = requestAnimationFrame(this.#scroll);
  };
}

/** How far to scroll for a place near or beyond one of two edges. */
export function beyond(at: number, from: number, to: number): number {
  const room = Math.min(edge, (to - from) / 4);
  const by = at < from + room ? at - from - room : Math.max(0, at - to + room);
  return Math.max(-fastest, Math.min(fastest, by / 2));
}

const keysOf = ({ altKey, ctrlKey, metaKey, shiftKey }: Modifiers): Modifiers => ({ altKey, ctrlKey, metaKey, shiftKey });

function atOf(element: Element, e: Event): At {
  const r = element.getBoundingClientRect();
  return { x: e.clientX - r.left, y: e.clientY - r.top, clientX: e.clientX, clientY: e.clientY, ...keysOf(e) };
}

/**
 * The handlers of an element that is pressed. `begin` says what is taken hold of there, or null for nothing; it may choose at once. `over` is told where
 * the pointer is while nothing is held, and null when it leaves. Only the main button presses, and one pointer at a time.
 */
export function usePress(begin: (at: At, e: PointerEvent) => Grip | null, over?: (at: At | null, e: PointerEvent) => void) {
  const held = useRef<{ pointer: number; by: Held } | null>(null);
  const now = useRef({ begin, over });
  now.current = { begin, over };
  const cancel = useRef(() => {
    const h = held.current;
    held.current = null;
    h?.by.cancel();
  });
  useEffect(() => {
    const keys = (e: KeyboardEvent) => {
      const h = held.current;
      if (!h) return;
      if (e.type === "keydown" && e.key === "Escape") {
        e.preventDefault();
        e.stopImmediatePropagation(); // it takes this back, and nothing else
        cancel.current();
      } else if (["Alt", "Control", "Meta", "Shift"].includes(e.key)) {
        if (e.key === "Alt") e.preventDefault(); // or the browser's menu has the keys
        h.by.keys(e);
      }
    };
    const stop = cancel.current;
    window.addEventListener("keydown", keys, true);
    window.addEventListener("keyup", keys, true);
    return () => {
      window.removeEventListener("keydown", keys, true);
      window.removeEventListener("keyup", keys, true);
      stop(); // who is gone holds nothing
    };
  }, []);
  return useMemo(
    () => ({
      onPointerDown: (e: PointerEvent) => {
        if (e.button !== 0 || held.current) return;
        const grip = now.current.begin(atOf(e.currentTarget, e), e);
        if (!grip) return;
        e.currentTarget.setPointerCapture(e.pointerId);
        held.current = { pointer: e.pointerId, by: new Held(e.currentTarget, e, grip) };
      },
      onPointerMove: (e: PointerEvent) => {
        const h = held.current;
        if (!h) now.current.over?.(atOf(e.currentTarget, e), e);
        else if (h.pointer === e.pointerId) h.by.move(e);
      },
      onPointerUp: (e: PointerEvent) => {
        const h = held.current;
        if (h?.pointer !== e.pointerId) return;
        held.current = null;
        h.by.release(e);
      },
      onPointerCancel: (e: PointerEvent) => held.current?.pointer === e.pointerId && cancel.current(),
      onLostPointerCapture: (e: PointerEvent) => held.current?.pointer === e.pointerId && cancel.current(),
      onPointerLeave: (e: PointerEvent) => void (!held.current && now.current.over?.(null, e)),
    }),
    [],
  );
}
